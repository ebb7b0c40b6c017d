#include "textflag.h"

// func mark(marks *uint64, text *byte, words int, b byte)
// Two halves of 64 bytes are compared with 32 copies of b; the highest bit of each byte
// of what comes out is its bit.
TEXT ·mark(SB), NOSPLIT, $0-25
	MOVQ         marks+0(FP), DI
	MOVQ         text+8(FP), SI
	MOVQ         words+16(FP), CX
	VPBROADCASTB b+24(FP), Y0

next:
	VPCMPEQB  (SI), Y0, Y1
	VPCMPEQB  32(SI), Y0, Y2
	VPMOVMSKB Y1, AX
	VPMOVMSKB Y2, BX
	SHLQ      $32, BX
	ORQ       AX, BX
	MOVQ      BX, (DI)
	ADDQ      $64, SI
	ADDQ      $8, DI
	DECQ      CX
	JNZ       next
	VZEROUPPER
	RET

// func odd(text *byte, blocks int) (first, low int)
// Of 32 bytes those are low that are the smaller of themselves and 31, and no line feed;
// of these those are odd that are not 9 to 13, less 9 the smaller of that and 4, nor an
// escape.
TEXT ·odd(SB), NOSPLIT, $0-32
	MOVQ         text+0(FP), SI
	MOVQ         blocks+8(FP), CX
	MOVQ         $-1, R8
	MOVQ         $-1, R9
	XORQ         R10, R10
	MOVQ         $0x1f0a09041b, AX
	MOVQ         AX, X0
	VPBROADCASTB X0, Y5            // escape
	VPSRLDQ      $1, X0, X0
	VPBROADCASTB X0, Y4            // 4
	VPSRLDQ      $1, X0, X0
	VPBROADCASTB X0, Y3            // 9
	VPSRLDQ      $1, X0, X0
	VPBROADCASTB X0, Y2            // line feed
	VPSRLDQ      $1, X0, X0
	VPBROADCASTB X0, Y1            // 31

next:
	VMOVDQU   (SI)(R10*1), Y6
	VPMINUB   Y6, Y1, Y7
	VPCMPEQB  Y6, Y7, Y7
	VPCMPEQB  Y6, Y2, Y8
	VPANDN    Y7, Y8, Y7
	VPTEST    Y7, Y7
	JNZ       found

after:
	ADDQ $32, R10
	DECQ CX
	JNZ  next

done:
	VZEROUPPER
	MOVQ R8, first+16(FP)
	MOVQ R9, low+24(FP)
	RET

found:
	VPMOVMSKB Y7, AX
	BSRL      AX, AX
	LEAQ      (R10)(AX*1), R9
	VPSUBB    Y3, Y6, Y8
	VPMINUB   Y8, Y4, Y9
	VPCMPEQB  Y8, Y9, Y9
	VPANDN    Y7, Y9, Y7
	VPCMPEQB  Y6, Y5, Y9
	VPANDN    Y7, Y9, Y7
	VPMOVMSKB Y7, AX
	TESTL     AX, AX
	JZ        after
	BSFL      AX, AX
	LEAQ      (R10)(AX*1), R8
	JMP       done

// func places(list *uint32, text *byte, words int, at uint32, a, b byte) int
// The bits of 64 bytes are taken from the lowest on: its number is a place, and the bit
// goes. Eight are taken whether there are so many or not, which is quicker than to ask.
TEXT ·places(SB), NOSPLIT, $0-40
	MOVQ         list+0(FP), DI
	MOVQ         text+8(FP), SI
	MOVQ         words+16(FP), CX
	MOVL         at+24(FP), R10
	VPBROADCASTB a+28(FP), Y0
	VPBROADCASTB b+29(FP), Y1
	MOVQ         DI, R12

next:
	VMOVDQU   (SI), Y2
	VMOVDQU   32(SI), Y3
	VPCMPEQB  Y2, Y0, Y4
	VPCMPEQB  Y2, Y1, Y5
	VPOR      Y4, Y5, Y4
	VPCMPEQB  Y3, Y0, Y6
	VPCMPEQB  Y3, Y1, Y7
	VPOR      Y6, Y7, Y6
	VPMOVMSKB Y4, AX
	VPMOVMSKB Y6, BX
	SHLQ      $32, BX
	ORQ       BX, AX
	POPCNTQ   AX, DX
	MOVQ      DI, R11

more:
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, (R11)
	BLSRQ  AX, AX
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, 4(R11)
	BLSRQ  AX, AX
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, 8(R11)
	BLSRQ  AX, AX
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, 12(R11)
	BLSRQ  AX, AX
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, 16(R11)
	BLSRQ  AX, AX
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, 20(R11)
	BLSRQ  AX, AX
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, 24(R11)
	BLSRQ  AX, AX
	TZCNTQ AX, R9
	ADDL   R10, R9
	MOVL   R9, 28(R11)
	BLSRQ  AX, AX
	ADDQ   $32, R11
	TESTQ  AX, AX
	JNZ    more

	LEAQ (DI)(DX*4), DI
	ADDL $64, R10
	ADDQ $64, SI
	DECQ CX
	JNZ  next
	VZEROUPPER
	SUBQ R12, DI
	SHRQ $2, DI
	MOVQ DI, ret+32(FP)
	RET

// func frame(text *byte, at, last int, parts *part, n, gap int, spans *Span) (done, end int, met uint64, short bool)
// A part stands where the bytes that its mask keeps differ in none from its own; where one
// does not, those behind it are tried, of which it is told whether they were met. A byte
// ends a value where the one that the part has for its lowest four bits is the same; 32
// are looked at together. None is looked at behind last. Where the end is as far as the
// last time, that distance is added, not the one that was found: the processor guesses so
// and goes on before it has looked.
TEXT ·frame(SB), NOSPLIT, $0-81
	MOVQ text+0(FP), SI
	MOVQ at+8(FP), AX
	MOVQ last+16(FP), R8
	MOVQ parts+24(FP), DI
	MOVQ n+32(FP), CX
	MOVQ spans+48(FP), DX
	XORQ R9, R9
	XORQ R11, R11
	XORQ R13, R13

part:
	MOVQ    AX, R10
	MOVQ    R9, R12
	CMPQ    AX, R8
	JGT     short
	VMOVDQU (SI)(AX*1), Y1

try:
	VPXOR   (DI), Y1, Y2
	VPTEST  32(DI), Y2
	JNZ     miss
	ADDQ    96(DI), AX
	MOVL    AX, (DX)
	VMOVDQU 64(DI), Y0

value:
	CMPQ      AX, R8
	JGT       short
	VMOVDQU   (SI)(AX*1), Y1
	VPSHUFB   Y1, Y0, Y2
	VPCMPEQB  Y1, Y2, Y2
	VPMOVMSKB Y2, BX
	TESTL     BX, BX
	JZ        further
	TZCNTL    BX, BX
	CMPQ      BX, 104(DI)
	JNE       other
	ADDQ      104(DI), AX

found:
	MOVL AX, 4(DX)
	BTSQ R9, R13
	ADDQ $128, DI
	ADDQ $8, DX
	INCQ R9
	CMPQ R9, CX
	JLT  part
	MOVQ AX, R10
	MOVQ R9, R12

done:
	VZEROUPPER
	MOVQ R12, done+56(FP)
	MOVQ R10, end+64(FP)
	MOVQ R13, met+72(FP)
	MOVB R11, short+80(FP)
	RET

other:
	MOVQ BX, 104(DI)
	ADDQ BX, AX
	JMP  found

further:
	ADDQ $32, AX
	JMP  value

miss:
	MOVQ R9, BX
	SUBQ R12, BX
	CMPQ BX, gap+40(FP)
	JGE  done
	ADDQ $128, DI
	ADDQ $8, DX
	INCQ R9
	CMPQ R9, CX
	JLT  try
	JMP  done

short:
	MOVQ $1, R11
	JMP  done
