package visible

import (
	"testing"
	"unicode"
	"unicode/utf8"
)

// TestText: what can be seen stays, what cannot is written out.
func TestText(t *testing.T) {
	for text, want := range map[string]string{
		"": "", "Åmund Kær": "Åmund Kær", "日本": "日本", "a b": "a b",
		"a\nb\tc": `a\u{a}b\u{9}c`, "\x1b[2J": `\u{1b}[2J`, "a\u202eb": `a\u{202e}b`, "a\u200bb": `a\u{200b}b`,
		"\u2028": `\u{2028}`, "\ufeff": `\u{feff}`, "\x7f": `\u{7f}`, "\u0085": `\u{85}`,
		"a\xffb": `a\x{ff}b`, "\ufffd": "\ufffd", "\ue000": `\u{e000}`,
	} {
		if got := Text(text); got != want {
			t.Errorf("%q is shown as %q, expected %q", text, got, want)
		}
	}
}

// FuzzText: nothing that moves a cursor or hides comes through, and what is
// plain is not touched.
func FuzzText(f *testing.F) {
	f.Add("plain")
	f.Add("\x1b]0;title\x07\u202e\xff")
	f.Fuzz(func(t *testing.T, text string) {
		got := Text(text)
		if !utf8.ValidString(got) {
			t.Errorf("%q is no text", got)
		}
		for _, r := range got {
			if Hidden(r) || unicode.IsControl(r) {
				t.Errorf("%q comes through", r)
			}
		}
		if Text(got) != got {
			t.Errorf("%q changes when it is shown again", got)
		}
	})
}
