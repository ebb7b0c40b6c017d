package jsonfile

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"yewcone/core/audit"
	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/core/record"
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
	var whole checkDocument
	var again bytes.Buffer
	if err := json.Unmarshal([]byte(text), &whole); err != nil || len(whole.Findings) < 2 || encode(&again, whole) != nil || again.String() != text {
		t.Errorf("it is not as the document is when it is written whole: %v, %d findings", err, len(whole.Findings))
	}
	kept, err := ReadRecord(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	now, err := record.Of(outputtest.Result(), nil, audit.Options{}, "")
	if err != nil {
		t.Fatal(err)
	}
	d, err := drift.Between(kept, now, nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(d.Findings) == 0 || len(d.In(drift.Same))+len(d.In(drift.StillTaken)) != len(d.Findings) {
		t.Errorf("%s: %+v", d.Sum(), d.Findings)
	}
	if strings.ContainsAny(text, "\x1b\u202e") {
		t.Error("a control character is in it")
	}
	if _, err := ReadRecord(strings.NewReader(text[:len(text)/2])); err == nil {
		t.Error("half a result is read")
	}
}
