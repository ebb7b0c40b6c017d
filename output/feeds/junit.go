package feeds

import (
	"encoding/xml"
	"io"
	"strings"

	"yewcone/core/finding"
	"yewcone/output"
)

type junitSuites struct {
	XMLName  xml.Name     `xml:"testsuites"`
	Name     string       `xml:"name,attr"`
	Tests    int          `xml:"tests,attr"`
	Failures int          `xml:"failures,attr"`
	Errors   int          `xml:"errors,attr"`
	Skipped  int          `xml:"skipped,attr"`
	Suites   []junitSuite `xml:"testsuite"`
}

type junitSuite struct {
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Errors   int         `xml:"errors,attr"`
	Skipped  int         `xml:"skipped,attr"`
	Time     string      `xml:"time,attr"`
	Cases    []junitCase `xml:"testcase"`
}

type junitCase struct {
	Name    string      `xml:"name,attr"`
	Class   string      `xml:"classname,attr"`
	Time    string      `xml:"time,attr"`
	Failure *junitText  `xml:"failure"`
	Error   *junitText  `xml:"error"`
	Skipped *junitShort `xml:"skipped"`
	Out     string      `xml:"system-out,omitempty"`
}

type junitText struct {
	Message string `xml:"message,attr"`
	Type    string `xml:"type,attr"`
	Text    string `xml:",chardata"`
}

type junitShort struct {
	Message string `xml:"message,attr"`
}

// JUnit writes a suite for each system and a case for each rule, as build jobs
// show them: what is broken fails, what is not known is skipped, and an export
// that could not be read is an error. There is no standard of the form; this
// is the part of it that build systems agree on.
func JUnit(w io.Writer, r *finding.Result, _ output.Options) error {
	doc := junitSuites{Name: clean(r.Estate)}
	for _, s := range systems(r) {
		suite := junitSuite{Name: s.Name, Time: "0"}
		if s.Partial {
			var said []string
			for _, n := range s.Notes {
				said = append(said, clean(n.Origin.String()+": "+n.Message))
			}
			suite.Cases = append(suite.Cases, junitCase{Name: "the export can be read", Class: s.Name, Time: "0",
				Error: &junitText{"the export was not read to its end", "partial", xmlText(strings.Join(said, "\n"))}})
			suite.Errors++
		}
		states, findings := ruleStates(r, s)
		for _, state := range states {
			if state.State == finding.NotForIt {
				continue
			}
			c := junitCase{Name: state.Rule.String(), Class: s.Name, Time: "0"}
			var broken, accepted []string
			first := ""
			for _, f := range findings[state.Rule] {
				text := f.Severity.String() + " " + f.Fingerprint + ": " + message(f)
				if f.Exception != nil {
					accepted = append(accepted, "accepted until "+f.Exception.Until.Format("2006-01-02")+": "+text)
					continue
				}
				if first == "" {
					first = f.Sentence
				}
				broken = append(broken, text)
			}
			switch {
			case len(broken) > 0:
				c.Failure = &junitText{xmlText(clean(first)), "finding", xmlText(strings.Join(broken, "\n"))}
				suite.Failures++
			case state.State == finding.Open:
				c.Skipped = &junitShort{"not known: the export does not show it for all accounts"}
				suite.Skipped++
			}
			c.Out = xmlText(strings.Join(accepted, "\n"))
			suite.Cases = append(suite.Cases, c)
		}
		suite.Tests = len(suite.Cases)
		doc.Suites = append(doc.Suites, suite)
		doc.Tests += suite.Tests
		doc.Failures += suite.Failures
		doc.Errors += suite.Errors
		doc.Skipped += suite.Skipped
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(doc); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

// xmlText leaves out what XML 1.0 cannot hold.
func xmlText(text string) string {
	return strings.Map(func(r rune) rune {
		if r == '\t' || r == '\n' || r >= 0x20 && r <= 0xd7ff || r >= 0xe000 && r <= 0xfffd || r >= 0x10000 && r <= 0x10ffff {
			return r
		}
		return -1
	}, text)
}
