package text

import (
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"strings"
	"sync"
	"testing"
)

// TestPiecesTogether: pieces that are read side by side, in any order, are whole records,
// one behind the other, and tell the file's lines and its end as one that is read through.
func TestPiecesTogether(t *testing.T) {
	defer func(size int, spoil bool) { PieceSize, Spoil = size, spoil }(PieceSize, Spoil)
	Spoil = true
	plain := 0
	for seed := range uint64(2000) {
		r := rand.New(rand.NewPCG(seed, 9))
		PieceSize = 8 << r.IntN(6)
		var b strings.Builder
		if r.IntN(4) == 0 {
			b.WriteString("\xef\xbb\xbf")
		}
		for range r.IntN(60) {
			b.WriteString(strings.Repeat("x", r.IntN(1+r.IntN(200))))
			b.WriteString([]string{"\n", "\n", "\n", "\r\n", "\t\n", "", "\x01"}[r.IntN(6+r.IntN(2))])
		}
		path := written(t, b.String())
		want := strings.TrimPrefix(b.String(), "\xef\xbb\xbf")

		f, err := Open(path, "")
		if err != nil {
			t.Fatal(err)
		}
		cut := AfterLine
		if r.IntN(2) == 0 { // what is left has lines
			cut = func(s string) int { return strings.LastIndex(s, "\n\n") + 1 }
		}
		pieces := NewPieces(f, cut)
		var list []*Piece
		for {
			piece, err := pieces.Begin()
			if err == io.EOF {
				break
			}
			list = append(list, &piece)
		}
		if f.Close(); len(list) > 0 && f.direct.closed && list[0].later == nil {
			t.Fatal("it is not read side by side")
		}
		texts := make([]string, len(list))
		var workers sync.WaitGroup
		order := r.Perm(len(list))
		for worker := range 3 {
			workers.Go(func() {
				for i := worker; i < len(order); i += 3 {
					p := list[order[i]]
					if err := p.Load(); err != nil {
						t.Error(err)
					}
					if p.Plain && strings.ContainsFunc(p.Text, func(c rune) bool { return c < ' ' && c != '\n' }) {
						t.Errorf("%q is plain: %v", p.Text, p.Plain)
					}
					texts[order[i]] = strings.Clone(p.Text)
					p.Free()
				}
			})
		}
		workers.Wait()
		for _, p := range list {
			if p.Plain {
				plain++
			}
		}
		if got := strings.Join(texts, ""); got != want {
			t.Fatalf("%q was read as %q", want, got)
		}
		line := 1
		for i, text := range texts {
			if list[i].Line != line || list[i].Last != (i+1 == len(texts)) {
				t.Fatalf("piece %d of %q: line %d, last %v", i, texts, list[i].Line, list[i].Last)
			}
			if line += strings.Count(text, "\n"); i+1 < len(texts) && text != "" && !strings.HasSuffix(text, "\n") {
				t.Fatalf("piece %d of %q ends in a record", i, texts)
			}
		}
		if got, is := f.Odd(), int64(strings.IndexByte(want, 1)+1); got != is {
			t.Fatalf("%q: a control character at %d, not %d", want, is, got)
		}
		if got := f.EndsInLine(); got != (want == "" || strings.HasSuffix(want, "\n")) {
			t.Fatalf("%q ends in a line: %v", want, got)
		}
		if _, err := f.direct.file.Stat(); err == nil {
			t.Fatal("the file is open still")
		}
	}
	if plain < 1000 {
		t.Errorf("only %d pieces are told to be plain", plain)
	}
}

// TestPiecesOfTheRest: pieces of a file from which something was taken are of the rest.
func TestPiecesOfTheRest(t *testing.T) {
	f, err := Open(written(t, "one\ntwo\nthree\n"), "")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if _, err := io.ReadFull(f, make([]byte, 4)); err != nil {
		t.Fatal(err)
	}
	if piece, err := NewPieces(f, AfterLine).Next(); err != nil || piece.Text != "two\nthree\n" {
		t.Errorf("%q, %v", piece.Text, err)
	}
}

// TestPiecesOfAnother: a file that becomes shorter or longer while it is read is read to
// its end.
func TestPiecesOfAnother(t *testing.T) {
	defer func(size int) { PieceSize = size }(PieceSize)
	PieceSize = 64
	whole := strings.Repeat("a line of some length\n", 50)
	for _, to := range []int{0, 1, 22, 79, 80, 81, 500, len(whole), len(whole) + 1, 5 * len(whole)} {
		path := written(t, whole)
		f, err := Open(path, "")
		if err != nil {
			t.Fatal(err)
		}
		pieces := NewPieces(f, AfterLine)
		var list []*Piece
		for piece, err := pieces.Begin(); err == nil; piece, err = pieces.Begin() {
			list = append(list, &piece)
		}
		changed := strings.Repeat(whole, 5)[:to]
		if err := os.WriteFile(path, []byte(changed), 0o644); err != nil {
			t.Fatal(err)
		}
		got := ""
		for _, p := range list {
			if err := p.Load(); err != nil {
				t.Fatal(err)
			}
			got += p.Text
		}
		if got != changed || !list[len(list)-1].Last || f.EndsInLine() != (to == 0 || changed[to-1] == '\n') {
			t.Errorf("%d bytes: %d were read, ends in a line: %v", to, len(got), f.EndsInLine())
		}
		f.Close()
	}
}

// TestPiecesTooLong: a record that is longer than any may be is told with its line, and
// nothing behind it is read.
func TestPiecesTooLong(t *testing.T) {
	path := written(t, "short\n"+strings.Repeat("x", MaxEntry+1<<20))
	f, err := Open(path, "")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	cuts := 0
	pieces := NewPieces(f, func(s string) int { cuts++; return AfterLine(s) })
	var told []string
	for {
		piece, err := pieces.Next()
		if err == io.EOF {
			break
		}
		told = append(told, fmt.Sprint(len(piece.Text), " ", err))
	}
	if fmt.Sprint(told) != fmt.Sprintf("[6 <nil> 0 line 2 begins a record of more than %d MB]", MaxEntry>>20) || cuts > 20 {
		t.Errorf("%q, with %d looks for the end", told, cuts)
	}
}
