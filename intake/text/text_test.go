package text

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"encoding/xml"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func written(t *testing.T, data string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "f")
	if err := os.WriteFile(path, []byte(data), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// TestEncodings: what a file is written in is found out, or taken as named.
func TestEncodings(t *testing.T) {
	for _, c := range []struct{ name, data, named, encoding, want string }{
		{"plain", "Åse\n", "", "utf-8", "Åse\n"},
		{"a mark", "\ufeffÅse\n", "", "utf-8", "Åse\n"},
		{"a mark beats a name", "\ufeffÅse\n", "latin-1", "utf-8", "Åse\n"},
		{"utf-16 with a mark", "\xff\xfeA\x00\n\x00", "", "utf-16", "A\n"},
		{"utf-16, the other way round", "\xfe\xff\x00A\x00\n", "", "utf-16", "A\n"},
		{"utf-16 without a mark", "A\x00B\x00C\x00\n\x00", "", "utf-16le", "ABC\n"},
		{"utf-16 without a mark, the other way round", "\x00A\x00B\x00C\x00\n", "", "utf-16be", "ABC\n"},
		{"windows-1252", "Kr\xf8ger \x80\n", "", "windows-1252", "Krøger €\n"},
		{"latin-1 as named", "Kr\xf8ger\n", "latin-1", "latin-1", "Krøger\n"},
		{"empty", "", "", "utf-8", ""},
		{"one byte", "A", "", "utf-8", "A"},
		{"a character cut off at the end", "Krø"[:3], "", "windows-1252", "KrÃ"},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, err := Open(written(t, c.data), c.named)
			if err != nil {
				t.Fatal(err)
			}
			defer f.Close()
			got, err := io.ReadAll(f)
			if err != nil || string(got) != c.want || f.Encoding != c.encoding {
				t.Errorf("%q in %s (%v), expected %q in %s", got, f.Encoding, err, c.want, c.encoding)
			}
			if ends := c.want == "" || strings.HasSuffix(c.want, "\n"); f.EndsInLine() != ends {
				t.Errorf("ends in a line: %v", f.EndsInLine())
			}
		})
	}
}

// TestDamagedPacking: a packed file that was cut off is an error, not an end.
func TestDamagedPacking(t *testing.T) {
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, _ = w.Write(bytes.Repeat([]byte("some rows\n"), 100000))
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	f, err := Open(written(t, packed.String()[:packed.Len()/2]), "")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if _, err := io.ReadAll(f); err == nil {
		t.Error("half a packed file is read to its end")
	}
	if _, err := Open(written(t, "\x1f\x8bno gzip"), ""); err == nil || !strings.Contains(err.Error(), "damaged gzip file") {
		t.Errorf("no gzip: %v", err)
	}
	if _, err := Open(t.TempDir(), ""); err == nil || !strings.Contains(err.Error(), "is a folder, not a file") {
		t.Errorf("a folder: %v", err)
	}
}

// TestCounter: lines are right for offsets in rising order, also past what is
// read at a time.
func TestCounter(t *testing.T) {
	data := strings.Repeat("line\n", 50000)
	c := NewCounter(strings.NewReader(data))
	if _, err := io.Copy(io.Discard, c); err != nil {
		t.Fatal(err)
	}
	for _, line := range []int{1, 2, 3, 777, 40000, 50000} {
		if got := c.Line(int64(line-1)*5 + 1); got != line {
			t.Errorf("line %d is counted as %d", line, got)
		}
	}
	if !c.Ended() {
		t.Error("the end was read")
	}
}

// TestToldJSON: an error of JSON shows nothing that stands in the file, and says what is
// wrong.
func TestToldJSON(t *testing.T) {
	said := map[string]bool{}
	for _, document := range []string{`{"a": ~}`, `{~}`, `[1 ~]`, `{"a" ~}`, `{"a":1 ~}`, "[\"~\x01\"]", `["\~"]`, `["\u00~z"]`, `[1.~]`, `[1e~]`, `[tru~]`, `[nul~]`, `{"a":1}~`,
		`[-~]`, `{"a":1`, `"`, `['~']`, `{"n": 4711471147}`, `{"s": 4711471147}`} {
		var v struct {
			A any
			N int8
			S string
		}
		err := json.Unmarshal([]byte(document), &v)
		told := ToldJSON(err).Error()
		if strings.ContainsAny(told, "~'\\") || strings.Contains(told, "4711") || strings.Contains(told, "not JSON") || len(told) < 10 {
			t.Errorf("%s: %s", document, told)
		}
		said[told] = true
	}
	if len(said) < 12 {
		t.Errorf("only %d errors are told apart: %v", len(said), said)
	}
	if ToldJSON(ErrTooLong) != ErrTooLong || ToldJSON(nil) != nil {
		t.Error("other errors are told as they are")
	}
}

// TestToldXML: an error of XML shows nothing that stands in the file.
func TestToldXML(t *testing.T) {
	for _, broken := range []string{"<a>P&Quark7;</a>", "<a>P<Quark7>word</a>", "<a>word</Quark7>", "</Quark7>", "<a></a Quark7>", "<a Quark7>", "<a x=Quark7>",
		"<a x='Quark7<'>", "<a>]]>Quark7", "<?xml version=\"Quark7\"?><a/>", "<?xml version='1.0' encoding='Quark7'?><a/>", "<a>&#xQuark7;</a>", "<!-- Quark7 -- -->",
		"<a>Quark7\x01</a>", "<a>Quark7\xff</a>", "<a><![CDATA[Quark7", "<a><![Quark7", "<\u0301Quark7>", "<a xmlns:Quark7='x'><Quark7:b></c></a>", "<a>Quark7"} {
		d := xml.NewDecoder(strings.NewReader(broken))
		var err error
		for err == nil {
			_, err = d.Token()
		}
		if told := ToldXML(err).Error(); err == io.EOF || strings.Contains(told, "Quark7") || strings.Contains(told, "line ") || len(told) < 10 {
			t.Errorf("%s: %v: %s", broken, err, told)
		}
	}
	if ToldXML(ErrTooLong) != ErrTooLong {
		t.Error("a bound is told as it is")
	}
}

// TestEndings: what clients print behind rows, and what is none of it.
func TestEndings(t *testing.T) {
	for line, want := range map[string]Ending{"(3 rows)": {Rows: 3}, "(1 row)": {Rows: 1}, "12 rows in set (0.01 sec)": {Rows: 12},
		"(40 rows affected)": {Rows: 40},
		"7 rows selected.":   {Rows: 7}, "ERROR:  canceling statement due to statement timeout": {Failed: true, Rows: -1},
		"ERROR 2013 (HY000) at line 1: Lost connection to server during query": {Failed: true, Rows: -1}, "FATAL:  terminating connection": {Failed: true, Rows: -1},
		"psql: error: connection to server failed":    {Failed: true, Rows: -1},
		"Size limit exceeded (4)":                     {Failed: true, Rows: -1},
		"ldap_result: Can't contact LDAP server (-1)": {Failed: true, Rows: -1},
		"server closed the connection unexpectedly":   {Failed: true, Rows: -1}} {
		if got, is := EndingOf(line); !is || got != want {
			t.Errorf("%q: %+v, %v", line, got, is)
		}
	}
	for _, line := range []string{"", "ada", "errors", "error-desk", "3", "rows", "(3)", "3 rowsome", "panicked",
		"fatal.attraction@marrowby.example", "12 rowers"} {
		if got, is := EndingOf(line); is {
			t.Errorf("%q is taken for %+v", line, got)
		}
	}
}
