package jsonfile

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/outputtest"
)

// TestCheckIsKept: what is written can be read again, with the same findings.
func TestCheckIsKept(t *testing.T) {
	text := outputtest.Written(t, func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return Check(b, r, o) })
	var document struct {
		Systems []struct{ Clauses struct{ Reaching, Met int } }
	}
	if err := json.Unmarshal([]byte(text), &document); err != nil || len(document.Systems) != 2 {
		t.Fatal(err)
	}
	kept, err := ReadCheck(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	changes := outputtest.Result().Since(kept)
	if changes.Same != 2 || len(changes.New) != 0 || len(changes.Gone) != 0 {
		t.Errorf("%+v", changes)
	}
	if strings.ContainsAny(text, "\x1b\u202e") {
		t.Error("a control character is in it")
	}
	if _, err := ReadCheck(strings.NewReader(text[:len(text)/2])); err == nil {
		t.Error("half a result is read")
	}
}
