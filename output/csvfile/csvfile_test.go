package csvfile

import (
	"bytes"
	"encoding/csv"
	"strings"
	"testing"

	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/outputtest"
)

// TestCheck: a row for each finding, those that were accepted last.
func TestCheck(t *testing.T) {
	text := outputtest.Written(t, func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return Check(b, r, o) })
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil || len(rows) != 4 {
		t.Fatalf("%v: %q", err, rows)
	}
	if got := strings.Join(rows[2], ";"); got != outputtest.Low+";low;rota;house/length;passwords of 8 characters are accepted;"+
		"min_length;8;at least 14;crew;3;1;0;p.csv;4;Length: 8;set it;open;" {
		t.Error(got)
	}
	if got := rows[3]; got[0] != outputtest.Accepted || got[16] != "accepted" || got[17] != "2027-01-31" {
		t.Error(got)
	}
}
