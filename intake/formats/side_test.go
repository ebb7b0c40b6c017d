package formats

import (
	"bytes"
	"encoding/json"
	"regexp"
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/text"
)

// places are numbers that order accounts, and count by parts.
var places = regexp.MustCompile(`"Place":[0-9]+`)

// TestSideBySide: every captured export is read and judged in small pieces, several at a
// time, with the same outcome as in one; with the race detector.
func TestSideBySide(t *testing.T) {
	piece, batch := text.PieceSize, facts.BatchSize
	text.Spoil = true
	defer func() { text.PieceSize, facts.BatchSize, text.Spoil = piece, batch, false }()
	for i := range captured {
		c := &captured[i]
		folder := c.copyTo(t)
		result := func(jobs int) []byte {
			request := &intake.Request{Folder: folder, From: c.from, Mapping: c.mappingFile(), System: "x",
				AsOf: time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC), AsOfFrom: "a test"}
			f, _ := Find(c.format)
			export, err := f.Open(request)
			if err != nil {
				t.Fatalf("%s: %v", c.name(), err)
			}
			got, err := audit.Run("x", []audit.Subject{{Export: export}}, audit.Options{Examples: 3, Jobs: jobs, MaxRefused: 1000})
			if err != nil {
				t.Fatalf("%s: %v", c.name(), err)
			}
			out, err := json.Marshal([]any{got.Systems, got.Findings, got.Unknowns, export.Notes().List()})
			if err != nil {
				t.Fatal(err)
			}
			return places.ReplaceAll(out, nil)
		}
		text.PieceSize, facts.BatchSize = piece, batch
		want := result(1)
		text.PieceSize, facts.BatchSize = 700, 2
		for _, jobs := range []int{1, 4} {
			if got := result(jobs); !bytes.Equal(got, want) {
				t.Errorf("%s with %d jobs\n got %.3000s\nwant %.3000s", c.name(), jobs, got, want)
			}
		}
	}
}
