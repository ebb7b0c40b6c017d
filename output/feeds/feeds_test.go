package feeds

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"strings"
	"testing"

	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/outputtest"
)

type writer func(*bytes.Buffer, *finding.Result, output.Options) error

// TestFeeds: each feed is sound in its own form, names every finding by its
// fingerprint, and shows no character that would do something.
func TestFeeds(t *testing.T) {
	for name, write := range map[string]writer{
		"sarif":  func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return SARIF(b, r, o) },
		"junit":  func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return JUnit(b, r, o) },
		"oscal":  func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return OSCAL(b, r, o) },
		"ndjson": func(b *bytes.Buffer, r *finding.Result, o output.Options) error { return NDJSON(b, r, o) },
	} {
		text := outputtest.Written(t, write)
		for _, fingerprint := range []string{outputtest.Critical, outputtest.Low, outputtest.Accepted} {
			if !strings.Contains(text, fingerprint) {
				t.Errorf("%s: %s is not there", name, fingerprint)
			}
		}
		if strings.ContainsAny(text, "\x1b\u202e") {
			t.Errorf("%s: a control character is in it", name)
		}
		var err error
		switch name {
		case "junit":
			var suites struct {
				Failures int `xml:"failures,attr"`
				Errors   int `xml:"errors,attr"`
			}
			if err = xml.Unmarshal([]byte(text), &suites); suites.Failures != 2 || suites.Errors != 1 {
				t.Errorf("junit: %d failures, %d errors", suites.Failures, suites.Errors)
			}
		case "ndjson":
			for line := range strings.Lines(text) {
				if !json.Valid([]byte(line)) {
					t.Errorf("ndjson: %s", line)
				}
			}
		default:
			var document map[string]any
			err = json.Unmarshal([]byte(text), &document)
		}
		if err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}
