package bytescan

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// TestMark: every way of marking marks the same, whatever the length and the place of
// the text.
func TestMark(t *testing.T) {
	text := strings.Repeat("a,bb,,\x2d,\xac,\"\x00\n", 80)
	for from := range 70 {
		for n := range 300 {
			part := text[from : from+n]
			for _, b := range []byte(",\"\n\x00\xff") {
				for _, way := range []func([]uint64, string, byte){markEach, Mark} {
					marks := make([]uint64, (n+63)/64+1)
					for i := range marks {
						marks[i] = 0xa5a5a5a5a5a5a5a5
					}
					way(marks, part, b)
					if marks[len(marks)-1] != 0xa5a5a5a5a5a5a5a5 {
						t.Fatalf("%d bytes: what follows is written to", n)
					}
					for i := range (len(marks) - 1) * 64 {
						if got, want := marks[i/64]>>(i%64)&1 == 1, i < n && part[i] == b; got != want {
							t.Fatalf("%q, byte %q: place %d is marked: %v", part, b, i, got)
						}
					}
				}
			}
		}
	}
}

// TestControls: the first control character is found among bytes of all sorts, wherever
// it stands, and the last byte below a blank before it.
func TestControls(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	all := []byte("aZ,~\x7f\x80\xc3\xbc\xff !\t\r\n\n\n\x1b\x20\x21")
	for range 20_000 {
		text := make([]byte, r.IntN(150))
		for i := range text {
			text[i] = all[r.IntN(len(all))]
		}
		for range r.IntN(3) {
			if len(text) > 0 {
				text[r.IntN(len(text))] = byte(r.IntN(256))
			}
		}
		first, low := slices.IndexFunc(text, Control), -1
		for i, c := range text {
			if c < ' ' && c != '\n' && (first < 0 || i <= first) {
				low = i
			}
		}
		for name, way := range map[string]func([]byte) (int, int){"Controls": Controls, "controls": controls} {
			if gotFirst, gotLow := way(text); gotFirst != first || first < 0 && gotLow != low {
				t.Fatalf("%s: %q: %d, %d, expected %d, %d", name, text, gotFirst, gotLow, first, low)
			}
		}
	}
}

// FuzzScan holds the quick ways against the plain one.
func FuzzScan(f *testing.F) {
	f.Add("a,b\n", byte(','))
	f.Fuzz(func(t *testing.T, text string, b byte) {
		gotFirst, gotLow := Controls([]byte(text))
		if first, low := controls([]byte(text)); gotFirst != first || first < 0 && gotLow != low {
			t.Fatalf("%q: %d, %d, expected %d, %d", text, gotFirst, gotLow, first, low)
		}
		for from := 0; from < len(text); from += 1 + from/3 {
			counted := Finder{Byte: b}
			counted.Next(text, from/2)
			to := min(from+len(text)/3+1, from+Stretch, len(text))
			if got, want := counted.Count(text, from, to), strings.Count(text[from:to], string([]byte{b})); got != want {
				t.Fatalf("%q in %q: %d times, expected %d", b, text[from:to], got, want)
			}
		}
		finder, at := Finder{Byte: b}, 0
		for i := range len(text) {
			if text[i] == b {
				if got := finder.Next(text, at); got != i {
					t.Fatalf("%q in %q from %d on: %d, expected %d", b, text, at, got, i)
				}
				at = i + 1
			}
		}
		if got := finder.Next(text, at); got != len(text) {
			t.Fatalf("%q in %q from %d on: %d, expected none", b, text, at, got)
		}
		comparePlaces(t, text, b)
	})
}

// comparePlaces asks for places as readers do: some way on each time.
func comparePlaces(t *testing.T, text string, b byte) {
	t.Helper()
	p := Places{A: b, B: '\n'}
	for at, step := 0, 1; at <= len(text); at, step = at+step, step*3%97 {
		want := appendEach(nil, text[at:], uint32(at), b, '\n')
		if got := p.From(text, at, step); !slices.Equal(got, want[:min(len(got), len(want))]) || len(got) < min(step, len(want)) {
			t.Fatalf("from %d on %d of %v: %v", at, step, want, got)
		}
		end := min(at+7*step, len(text))
		if got, want := p.Through(text, at, end), appendEach(nil, text[at:end], uint32(at), b, '\n'); !slices.Equal(got, want) {
			t.Fatalf("from %d on before %d are %v, not %v", at, end, want, got)
		}
	}
}

// TestPlaces: places are found in texts of all lengths, few and many.
func TestPlaces(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for _, some := range []string{",", ",\n", "a,\n", "abcdefgh,\n", "abcdefghijklmnopqrstuvwxyz\xac,"} {
		for _, n := range []int{0, 1, 7, 63, 64, 65, 300, ahead - 1, ahead, 3*ahead + 70} {
			text := make([]byte, n)
			for i := range text {
				text[i] = some[r.IntN(len(some))]
			}
			comparePlaces(t, string(text), ',')
			want := []uint32(nil)
			for i, c := range text {
				if c == ',' || c == '\n' {
					want = append(want, uint32(i))
				}
			}
			if got := appendEach(nil, string(text), 0, ',', '\n'); !slices.Equal(got, want) {
				t.Fatalf("%q: %v", text, got)
			}
		}
	}
}

func BenchmarkPlaces(b *testing.B) {
	text := strings.Repeat("LJet000002,Lowri Jettison,yes,no\n", 120)
	var list []uint32
	for name, way := range map[string]func([]uint32, string, uint32, byte, byte) []uint32{"each": appendEach, "places": appendPlaces} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				list = way(list[:0], text, 0, ',', '\n')
			}
		})
	}
}

func BenchmarkControls(b *testing.B) {
	text := []byte(strings.Repeat("LJet000002,Lowri Jettison,yes,no\n", 250))
	for name, way := range map[string]func([]byte) (int, int){"Controls": Controls, "controls": controls} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				way(text)
			}
		})
	}
}

func BenchmarkMark(b *testing.B) {
	text := strings.Repeat("LJet000002,Lowri Jettison,yes,no,", 250)
	marks := make([]uint64, len(text)/64+1)
	for name, way := range map[string]func([]uint64, string, byte){"each": markEach, "mark": Mark} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				way(marks, text, ',')
			}
		})
	}
}

// TestFrame: values are found in rows that fit, and up to what differs in those that do
// not, wherever the text ends, as one part after the other finds them.
func TestFrame(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	word := func(of string, most int) string {
		text := make([]byte, r.IntN(most))
		for i := range text {
			text[i] = of[r.IntN(len(of))]
		}
		return string(text)
	}
	whole, long := 0, 0
	for range 20_000 {
		var f Frame
		var row, texts []byte
		n := 1 + r.IntN(8)
		var parts []string
		for range n {
			text := "\n\",}"[r.IntN(4):][:1] + word("abc: ", 12)
			if r.IntN(8) == 0 {
				text += word("abc: ", 80)
			}
			parts = append(parts, text)
			texts = append(texts, text...)
			row = append(append(row, text...), word("abcdef ", []int{1, 12, 90}[r.IntN(3)])...)
		}
		parts = append(parts, "\n")
		for k := range n {
			if r.IntN(4) == 0 {
				f.Add("\n\",}"[r.IntN(4):][:1]+word("abc: ", 50), "\n\t") // which no row has, mostly
			}
			f.Add(parts[k], parts[k+1][:1]+word("\t\x00", 2))
		}
		row = append(row, '\n')
		if at := r.IntN(len(row)); r.IntN(3) == 0 {
			row[at] = "\t\n\x80\x00\xff"[r.IntN(5)]
		}
		before := word("xyz", 70)
		text := before + string(row) + word("xyz\n", 70)
		text = text[:len(text)-r.IntN(min(len(text)-len(before), 40))]
		from := r.IntN(len(f.parts))
		at := len(before)
		if from > 0 {
			at = r.IntN(len(text) + 1)
		}
		want, got := make([]Span, len(f.parts)), make([]Span, len(f.parts))
		gap := r.IntN(4)
		wantDone, wantEnd, wantMet := f.each(text, at, from, len(f.parts), gap, want)
		done, end, met := f.Values(text, at, from, len(f.parts), gap, got)
		for k := range len(f.parts) {
			if k < from || met>>(k-from)&1 == 0 {
				got[k], want[k] = Span{}, Span{}
			}
		}
		if done != wantDone || end != wantEnd || met != wantMet || !slices.Equal(got, want) {
			t.Fatalf("%q from %d on, parts %q from %d on, gap %d: %d, %d, %b, %v, expected %d, %d, %b, %v", text, at, texts, from, gap, done, end, met,
				got, wantDone, wantEnd, wantMet, want)
		}
		if done == len(f.parts) {
			whole, long = whole+1, long+len(f.long)
		}
	}
	if whole < 3_000 || long < 500 {
		t.Errorf("only %d rows fit, with %d long parts", whole, long)
	}
}

func BenchmarkFrame(b *testing.B) {
	names := []string{"dn", "uid", "cn", "mail", "employeeNumber", "title", "entryUUID", "active", "createTimestamp", "entryCSN"}
	lengths := [][2]int{{40, 70}, {10, 10}, {8, 22}, {24, 44}, {10, 10}, {5, 20}, {36, 36}, {4, 5}, {15, 15}, {40, 40}}
	var f Frame
	for _, name := range names {
		f.Add("\n"+name+": ", "\n\r")
	}
	r, spans := rand.New(rand.NewPCG(7, 8)), make([]Span, len(names))
	var all strings.Builder
	const rows = 500
	for range rows {
		for i, name := range names {
			all.WriteString("\n" + name + ": " + strings.Repeat("v", lengths[i][0]+r.IntN(lengths[i][1]-lengths[i][0]+1)))
		}
	}
	all.WriteString("\n" + strings.Repeat("\n", 64))
	text := all.String()
	for name, way := range map[string]func(string, int, int, int, int, []Span) (int, int, uint64){"each": f.each, "frame": f.Values} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				for at, n := 0, 0; n < rows; n++ {
					_, at, _ = way(text, at, 0, len(names), 0, spans)
				}
			}
		})
	}
}
