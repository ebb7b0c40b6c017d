package html

import (
	"bytes"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/outputtest"
)

// TestCheck: the page holds all findings, the table tells what is met, open and
// not for anybody, nothing in it comes from elsewhere or does something.
func TestCheck(t *testing.T) {
	text := outputtest.Written(t, func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return Check(b, r, o) })
	for _, part := range []string{outputtest.Critical, outputtest.Low, outputtest.Accepted, "Test &amp; Co",
		`title="broken">low<`, `title="not known">?<`, `title="met">met<`, `title="reaches nobody">·<`, "it ends within a row"} {
		if !strings.Contains(text, part) {
			t.Errorf("%s is not there", part)
		}
	}
	if strings.ContainsAny(text, "\x1b\u202e") || strings.Contains(text, "1+1<") {
		t.Error("a name is in it as it is")
	}
}

// TestChartsTakeTheReadersColours: inks become variables of the page, and the
// drawing is described for those who do not see it.
func TestChartsTakeTheReadersColours(t *testing.T) {
	r := outputtest.Result()
	v := &view{Result: r}
	v.charts()
	if len(v.Charts) != 3 {
		t.Fatalf("%d charts", len(v.Charts))
	}
	for _, c := range v.Charts {
		svg := string(c.SVG)
		if !strings.HasPrefix(svg, `<svg viewBox="`) || !strings.Contains(svg, `role="img" aria-label="`+c.Title) ||
			!strings.Contains(svg, "var(--ink)") || strings.Contains(svg, "#0101") || strings.Contains(svg, "xlink") {
			t.Errorf("%s: %.200s", c.Title, svg)
		}
	}
}

// TestSpreadLeavesOut: accounts that are off, and those that no password lets
// in, have no age of a password; an unknown one is counted as that.
func TestSpreadLeavesOut(t *testing.T) {
	var s finding.Spread
	d := &facts.Derived{AsOf: 100 * 86400, AsOfKnown: true}
	set := facts.AtSecond(5 * 86400)
	for _, a := range []facts.Account{
		{PasswordSet: set}, {PasswordSet: set, Enabled: facts.No}, {PasswordSet: set, PasswordUsable: facts.No},
		{PasswordSet: set, PasswordUsable: facts.No, Locked: facts.Yes}, {},
	} {
		s.Add(&a, d)
	}
	if s.Ages[3] != 2 || s.AgeUnknown != 1 || sum(s.Ages[:]) != 2 {
		t.Errorf("%+v", s)
	}
}
