package markdown

import (
	"bytes"
	"strings"
	"testing"

	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/outputtest"
)

// TestCheck: findings under their severity, what was accepted with its reason,
// what is not known; no name can open a tag or a column.
func TestCheck(t *testing.T) {
	text := outputtest.Written(t, func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return Check(b, r, o) })
	for _, part := range []string{"`" + outputtest.Critical + "`", "`" + outputtest.Low + "`", outputtest.Accepted,
		"old tills", "max\\_age"} {
		if !strings.Contains(text, part) {
			t.Errorf("%s is not there in\n%s", part, text)
		}
	}
	if strings.ContainsAny(text, "\x1b\u202e") || strings.Contains(text, "<b>") {
		t.Error("a name is in it as it is")
	}
}
