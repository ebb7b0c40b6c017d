package blocklist

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// TestSortedFindsWhatIsThere holds halving against a plain search, over lists
// with long lines, CR LF, no last line end, and lines equal at their start.
func TestSortedFindsWhatIsThere(t *testing.T) {
	var words []string
	for i := range 3000 {
		words = append(words, fmt.Sprintf("word%d", i*7))
	}
	words = append(words, strings.Repeat("x", 10000), "a", "é", "zz", "word")
	slices.Sort(words)
	for name, data := range map[string]string{
		"plain":       strings.Join(words, "\n") + "\n",
		"no last end": strings.Join(words, "\n"),
		"one":         "harbour\n",
		"empty":       "",
	} {
		in := map[string]bool{}
		for line := range strings.Lines(data) {
			in[strings.TrimRight(line, "\n")] = true
		}
		l := &Sorted{File: strings.NewReader(data), Size: int64(len(data)), Form: Plain}
		for _, word := range append(slices.Clone(words), "", "harbour", "word1", "word69999", "zzz", "\x00", "x",
			strings.Repeat("x", 9999)) {
			found, err := l.Has(word)
			if err != nil || found != in[word] && word != "" {
				t.Fatalf("%s: a word of %d bytes: %v, %v, expected %v", name, len(word), found, err, in[word])
			}
		}
	}
}

// TestHashed: hashes are found whatever their case and with or without counts.
func TestHashed(t *testing.T) {
	for _, form := range []Form{SHA1, SHA256} {
		entries := []string{string(form.entry("harbour")) + ":12", strings.ToLower(string(form.entry("Tide-1999"))) + ":1",
			string(form.entry("kelp"))}
		slices.SortFunc(entries, func(a, b string) int { return strings.Compare(strings.ToUpper(a), strings.ToUpper(b)) })
		data := strings.Join(entries, "\r\n") + "\r\n"
		l := &Sorted{File: strings.NewReader(data), Size: int64(len(data)), Form: form}
		found, err := Scan(strings.NewReader(data), form, []string{"harbour", "Tide-1999", "kelp", "tide-1999"})
		if err != nil || !found["harbour"] || !found["Tide-1999"] || !found["kelp"] || found["tide-1999"] {
			t.Errorf("%s: %v, %v", form, found, err)
		}
		for word, want := range map[string]bool{"harbour": true, "Tide-1999": true, "kelp": true, "tide-1999": false, "": false} {
			if got, err := l.Has(word); err != nil || got != want {
				t.Errorf("%s %q: %v, %v", form, word, got, err)
			}
		}
	}
	if got := string(SHA1.entry("abc")); got != "A9993E364706816ABA3E25717850C26C9CD0D89D" { // FIPS 180
		t.Errorf("SHA-1 of abc is %s", got)
	}
	if got := string(SHA256.entry("abc")); got != "BA7816BF8F01CFEA414140DE5DAE2223B00361A396177A9CB410FF61F20015AD" {
		t.Errorf("SHA-256 of abc is %s", got)
	}
}

// TestWrongLists: a list that is not what it is said to be is an error, which
// names the place and nothing that stands there.
func TestWrongLists(t *testing.T) {
	unsorted := strings.Repeat("m\nz\na\n", 50)
	_, err := (&Sorted{File: strings.NewReader(unsorted), Size: int64(len(unsorted)), Form: Plain}).Has("b")
	if !errors.Is(err, ErrUnsorted) || !strings.Contains(err.Error(), "byte ") {
		t.Errorf("%v", err)
	}
	plain := "harbour\nkelp\n"
	_, err = (&Sorted{File: strings.NewReader(plain), Size: int64(len(plain)), Form: SHA1}).Has("b")
	if err == nil || strings.Contains(err.Error(), "kelp") || strings.Contains(err.Error(), "harbour") {
		t.Errorf("%v", err)
	}
	_, err = Scan(strings.NewReader(plain), SHA256, []string{"b"})
	if err == nil || !strings.Contains(err.Error(), "line 1") || strings.Contains(err.Error(), "harbour") {
		t.Errorf("%v", err)
	}
	broken := &Scanned{Form: Plain, Open: func() (io.ReadCloser, error) { return nil, os.ErrNotExist }}
	if _, err := broken.Has("b"); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("%v", err)
	}
}

// TestScannedReadsOnce: what was asked together is not read for again.
func TestScannedReadsOnce(t *testing.T) {
	reads := 0
	l := &Scanned{Form: Plain, Open: func() (io.ReadCloser, error) {
		reads++
		return io.NopCloser(strings.NewReader("kelp\n" + strings.Repeat("y", 200000) + "\ngarnet")), nil
	}}
	if err := l.Ask([]string{"kelp", "garnet", "tide"}); err != nil {
		t.Fatal(err)
	}
	for word, want := range map[string]bool{"kelp": true, "garnet": true, "tide": false} {
		if got, err := l.Has(word); got != want || err != nil {
			t.Errorf("%s: %v, %v", word, got, err)
		}
	}
	if reads != 1 {
		t.Errorf("the list was read %d times", reads)
	}
}

// TestCommon: the list that comes with the tool is what the command that makes
// it writes, in small letters and in order.
func TestCommon(t *testing.T) {
	r, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(r)
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Fields(string(text))
	if !slices.IsSorted(lines) || strings.ToLower(string(text)) != string(text) || len(lines) < 20000 {
		t.Errorf("%d words; sorted %v", len(lines), slices.IsSorted(lines))
	}
	for _, word := range []string{"123456", "password", "qwerty", "letmein", "summer2026", "welcome1!", "000000", "1998"} {
		if found, _ := Common().Has(word); !found {
			t.Errorf("%q is not on the list", word)
		}
	}
	if found, _ := Common().Has("kelp over granite 47"); found {
		t.Error("a phrase of no fame is on the list")
	}
	bases, err := os.ReadFile(filepath.Join("make", "bases.txt"))
	if err != nil {
		t.Fatal(err)
	}
	for _, base := range strings.Fields(string(bases)) {
		if found, _ := Common().Has(base); !found {
			t.Errorf("%q of the bases is not on the list: run go generate", base)
		}
	}
}

// FuzzSorted: whatever stands in a file, halving ends, and agrees with a plain
// search where the lines are in order.
func FuzzSorted(f *testing.F) {
	f.Add("a\nb\nc\n", "b")
	f.Add("a\r\nbb\r\n", "bb")
	f.Add("\n\n\n", "")
	f.Fuzz(func(t *testing.T, data, word string) {
		l := &Sorted{File: strings.NewReader(data), Size: int64(len(data)), Form: Plain}
		found, err := l.Has(word)
		lines := strings.Split(strings.TrimSuffix(data, "\n"), "\n")
		for i := range lines {
			lines[i] = strings.TrimSuffix(lines[i], "\r")
		}
		if slices.IsSorted(lines) && data != "" && (err != nil || found != slices.Contains(lines, word)) {
			t.Errorf("%v, %v; a plain search says %v", found, err, slices.Contains(lines, word))
		}
	})
}

// BenchmarkSorted looks up words in a list of 50 million lines (of a million
// in short runs), made for it.
func BenchmarkSorted(b *testing.B) {
	lines := 50_000_000
	if testing.Short() {
		lines = 1_000_000
	}
	path := filepath.Join(b.TempDir(), "list")
	f, err := os.Create(path)
	if err != nil {
		b.Fatal(err)
	}
	defer f.Close()
	buffered := make([]byte, 0, 1<<20)
	for i := range lines {
		if buffered = fmt.Appendf(buffered, "%012d\n", i*3); len(buffered) > 1<<20-100 {
			if _, err := f.Write(buffered); err != nil {
				b.Fatal(err)
			}
			buffered = buffered[:0]
		}
	}
	if _, err := f.Write(buffered); err != nil {
		b.Fatal(err)
	}
	info, err := f.Stat()
	if err != nil {
		b.Fatal(err)
	}
	l := &Sorted{File: f, Size: info.Size(), Form: Plain}
	b.ReportAllocs()
	b.ResetTimer()
	for i := range b.N {
		n := i * 7919 % (lines * 3)
		found, err := l.Has(fmt.Sprintf("%012d", n))
		if err != nil || found != (n%3 == 0) {
			b.Fatal(n, found, err)
		}
	}
}
