package delimited

import (
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strings"
	"testing"

	"yewcone/intake/table"
	"yewcone/intake/text"
)

// readAll gathers the records of a text as records reads them, cut into
// pieces where cut says, and as encoding/csv does.
type record struct {
	fields string
	line   int
	err    error
}

// byRecords reads records one by one and, where a width is given, those that have it
// together.
func byRecords(t *testing.T, whole string, step, width int) []record {
	t.Helper()
	var list []record
	line := 1
	for whole != "" {
		piece := whole
		if step < len(whole) {
			for size := step; ; size += step {
				size = min(size, len(whole))
				if n := afterRecord(',')(whole[:size]); n > 0 {
					piece = whole[:n]
					break
				}
				if size == len(whole) {
					break
				}
			}
		}
		r := records{text: piece, line: line, comma: ','}
		b := table.NewBatch(width)
		for {
			for b.Count = 1; width > 0 && b.Count > 0; {
				b.Count = 0
				r.batch(b)
				for i := range b.Count {
					list = append(list, record{strings.Join(b.Row(i), "\x00"), b.Places[i].Line, nil})
					between(t, b, i)
				}
			}
			fields, at, ok, err := r.next()
			if !ok {
				break
			}
			list = append(list, record{strings.Join(fields, "\x00"), at, err})
		}
		line += strings.Count(piece, "\n")
		whole = whole[len(piece):]
	}
	return list
}

// between checks what stands between the texts of a row.
func between(t *testing.T, b *table.Batch, row int) {
	t.Helper()
	for last := range b.Width {
		for first := range last {
			got := b.Between(row, first, last)
			if from, to := b.Row(row)[first], b.Row(row)[last]; len(got) < len(from)+len(to)+last-first || len(got) > len(strings.Join(b.Row(row), `","`)) ||
				!strings.HasPrefix(got, from) || !strings.HasSuffix(got, to) {
				t.Fatalf("between %q and %q stands %q", from, to, got)
			}
		}
	}
}

func byLibrary(whole string) []record {
	var list []record
	r := csv.NewReader(strings.NewReader(whole))
	r.FieldsPerRecord = -1
	for {
		fields, err := r.Read()
		if err == io.EOF {
			return list
		}
		var at *csv.ParseError
		if errors.As(err, &at) {
			list = append(list, record{line: at.StartLine, err: at.Err})
			continue
		}
		line, _ := r.FieldPos(0)
		list = append(list, record{strings.Join(fields, "\x00"), line, err})
	}
}

func compareRecords(t *testing.T, whole string) {
	t.Helper()
	want := byLibrary(whole)
	for i, step := range []int{len(whole) + 1, 1, 3, 17, len(whole) + 1, len(whole) + 1, 5} {
		got := byRecords(t, whole, step, i%4)
		for i := range got {
			if got[i].err != nil {
				got[i].fields = ""
			}
		}
		if !slices.Equal(got, want) {
			t.Fatalf("%q in steps of %d:\n got %+v\nwant %+v", whole, step, got, want)
		}
	}
}

// TestRecords: records are those that encoding/csv reads, wherever a file is
// cut into pieces.
func TestRecords(t *testing.T) {
	for _, whole := range []string{
		"", "\n", "a", "a,b\n", "a,b\r\nc,d\r\n", "a,,\n,,\n", "\n\na\n\r\nb", `"a","b"` + "\n", `"a,b",c` + "\n",
		"\"line\nbreak\",x\ny,z\n", "\"crlf\r\nin\",x\r\ny\r\n", `"doubled "" quote",x` + "\n", "a\"b,c\nd,e\n", "\"a\"b,c\nd\n",
		"\"open,a\nb\n", "a,\"open\nb,c\n\"\nd\n", "\"a\n\"b\",c\nd\n", "a,b\r", "\"a\"\r", "a\rb,c\n", `""` + "\n",
		`"",""` + "\n", "x,\"\"\"\"\n", "\r\n\r\n",
		"a,\"b\r\n\"\r\n", "\"a,b\",\"\"\n-,,-\n\"a\",\nb\"c,d\n" + strings.Repeat("wide,", 70) + "\nx,\"y\"z\n",
		strings.Repeat("a,b,c\n\"x\",\"\",y\r\n", 1000), "a,b\n" + strings.Repeat("x", 20_000) + ",y\nc,d\n",
		strings.Repeat("-", 8189) + ",\na,\"b\"\nc,d\n", strings.Repeat("-", 8180) + ",a\n\"b,c\",\"\"\nd,e\n",
	} {
		compareRecords(t, whole)
	}
}

func FuzzRecords(f *testing.F) {
	f.Add("a,\"b\"\"\r\n\",c\r\n\"x")
	f.Fuzz(compareRecords)
}

// TestPieces: the pieces of a text put together are the text, and their lines
// are right, whatever the size of what a reader gives.
func TestPieces(t *testing.T) {
	whole := strings.Repeat("some text\nand more\n", 60000) + "no end"
	p := text.NewPieces(strings.NewReader(whole), text.AfterLine)
	var got strings.Builder
	line := 1
	for {
		piece, err := p.Next()
		if err == io.EOF {
			break
		}
		if err != nil || piece.Line != line {
			t.Fatalf("%v, line %d, expected %d", err, piece.Line, line)
		}
		got.WriteString(piece.Text)
		line += strings.Count(piece.Text, "\n")
		if piece.Last != (got.Len() == len(whole)) {
			t.Fatalf("after %d of %d bytes, last is %v", got.Len(), len(whole), piece.Last)
		}
	}
	if got.String() != whole {
		t.Fatal("the pieces are not the whole")
	}
	p = text.NewPieces(strings.NewReader(strings.Repeat("x", 33<<20)), text.AfterLine)
	if _, err := p.Next(); err == nil || !strings.Contains(err.Error(), "more than 32 MB") {
		t.Fatalf("a line without an end: %v", err)
	}
}
