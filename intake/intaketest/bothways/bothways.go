// Package bothways judges estates both ways for tests: each account on its own, and
// those that are like others told apart before they are made.
package bothways

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/core/finding"
	"yewcone/intake/estatefolder"
)

// places are numbers that order accounts; they differ with the parts that are read
// side by side.
var places = regexp.MustCompile(`"Place": [0-9]+`)

// Open returns the systems of an estate, and how they are judged: as o says, with all else
// that the estate asks for.
func Open(folder string, o audit.Options) ([]audit.Subject, audit.Options, error) {
	e, err := estatefolder.Load(folder)
	if err != nil {
		return nil, o, err
	}
	o.Examples, o.MaxRefused, o.ValueOf, o.Relations = 3, 1<<20, e.ValueOf(time.Time{}), e.Relations(nil)
	subjects, err := e.Subjects(nil, time.Time{})
	return subjects, o, err
}

// Judge returns what comes out of an estate, systems and their notes included, in lines;
// false where it cannot be read, with why.
func Judge(t *testing.T, folder string, o audit.Options) (string, bool) {
	t.Helper()
	subjects, o, err := Open(folder, o)
	if err != nil {
		return err.Error(), false
	}
	got, err := audit.Run("made", subjects, o)
	if err != nil {
		return err.Error(), false
	}
	return InLines(t, got), true
}

// InLines writes what came out.
func InLines(t *testing.T, got *finding.Result) string {
	t.Helper()
	text, err := json.MarshalIndent([]any{got.Systems, got.Findings, got.Accepted, got.Unknowns}, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	return places.ReplaceAllString(string(text), "")
}

// Differ returns the first line in which one outcome differs from another, of both;
// false where none does.
func Differ(want, got string) (a, b string, differ bool) {
	if want == got {
		return "", "", false
	}
	wanted, gotten := strings.Split(want, "\n"), strings.Split(got, "\n")
	for i := range max(len(wanted), len(gotten)) {
		a, b = "", ""
		if i < len(wanted) {
			a = wanted[i]
		}
		if i < len(gotten) {
			b = gotten[i]
		}
		if a != b {
			break
		}
	}
	return a, b, true
}
