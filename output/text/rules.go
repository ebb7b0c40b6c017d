package text

import (
	"fmt"
	"io"
	"strings"
	"time"

	"yewcone/core/check"
	"yewcone/core/review"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/output"
)

// Checks lists checks.
func Checks(w io.Writer, list []check.Check, o output.Options) error {
	p := newPage(w, o)
	for _, c := range list {
		title := c.Titled()
		p.para(padded(c.ID, 23)+p.paint(severityStyles[c.Severity], padded(c.Severity.String(), 10)), plainStyle, title)
	}
	p.blank()
	p.para("", faintStyle, "\"yewcone checks ID\" tells why, and how to mend it.")
	return p.w.Flush()
}

// RuleSets lists rule sets.
func RuleSets(w io.Writer, sets []*rules.Set, o output.Options) error {
	p := newPage(w, o)
	for _, s := range sets {
		p.para(padded(s.Name, 23), plainStyle, seen(fmt.Sprintf("%s (%s)", s.Title, counted(len(s.Clauses), "clause", "clauses"))))
	}
	p.blank()
	p.para("", faintStyle, "\"yewcone rules show SET\" tells all about one; those not in rules/ come with the tool.")
	return p.w.Flush()
}

// RuleSet tells all about rule sets.
func RuleSet(w io.Writer, sets []*rules.Set, o output.Options) error {
	p := newPage(w, o)
	for i, s := range sets {
		if i > 0 {
			p.blank()
		}
		p.para("", boldStyle, seen(s.Name+": "+s.Title))
		if !s.InForce.IsZero() {
			p.para("  ", plainStyle, "in force since "+s.InForce.Format(time.DateOnly))
		}
		if s.Source != "" {
			p.para("  ", plainStyle, seen("source: "+s.Source))
		}
		for _, n := range s.Who {
			p.para("  "+n.Name+" are those where ", plainStyle, seen(n.If.String()))
		}
		for j := range s.Clauses {
			c := &s.Clauses[j]
			p.blank()
			p.para("  "+p.paint(severityStyles[c.Severity], padded(c.Severity.String(), 10)), plainStyle,
				p.paint(boldStyle, seen(c.Rule.String())))
			if c.For != nil {
				p.para("            for     ", plainStyle, seen(c.For.String()))
			}
			p.para("            asks    ", plainStyle, seen(asks(c)))
			if c.Because != "" {
				p.para("            because ", faintStyle, seen(c.Because))
			}
			if len(c.Replaces) > 0 {
				p.para("            instead of ", plainStyle, seen(strings.Join(c.Replaces, ", ")))
			}
		}
	}
	return p.w.Flush()
}

func asks(c *rules.Clause) string {
	join := func(list []rules.Expectation) string {
		var parts []string
		for _, x := range list {
			parts = append(parts, setting.At(x.Setting).Name+" "+x.Ladder.String())
		}
		return strings.Join(parts, ", ")
	}
	var parts []string
	if len(c.Expect) > 0 {
		parts = append(parts, join(c.Expect))
	}
	var any []string
	for _, list := range c.AnyOf {
		any = append(any, join(list))
	}
	if len(any) > 0 {
		parts = append(parts, "one of: "+strings.Join(any, "; or "))
	}
	if c.Forbid != nil {
		parts = append(parts, "that no account be: "+c.Forbid.String())
	}
	return strings.Join(parts, "; ")
}

// Comparison writes rule sets side by side: one paragraph for each setting.
func Comparison(w io.Writer, c *rules.Comparison, o output.Options) error {
	p := newPage(w, o)
	conflicts := 0
	for _, s := range c.Settings {
		if s.Conflict {
			conflicts++
		}
	}
	verdict := "All that they ask can be met together."
	if conflicts > 0 {
		verdict = fmt.Sprintf("%d %s cannot be met by all at once.", conflicts, plural(conflicts, "setting", "settings"))
	}
	p.para("", boldStyle, seen(list(c.Sets)+": ")+verdict)
	width := 0
	for _, name := range c.Sets {
		width = max(width, len(name))
	}
	alone := make([][]string, len(c.Sets))
	for _, s := range c.Settings {
		if s.Alone {
			for i, asked := range s.Asked {
				if asked != "" {
					alone[i] = append(alone[i], s.Setting+" "+asked)
				}
			}
			continue
		}
		p.blank()
		text := s.Verdict
		if s.Together != "" {
			text += "; the loosest value that meets all: " + s.Together
		}
		style := plainStyle
		if s.Conflict {
			style = severityStyles[rules.High]
		}
		p.para(p.paint(boldStyle, padded(s.Setting, 23)), style, text)
		for i, asked := range s.Asked {
			if asked != "" {
				p.para("  "+padded(c.Sets[i], width+2), plainStyle, seen(asked))
			}
		}
	}
	for i, asked := range alone {
		if len(asked) > 0 {
			p.blank()
			p.para("", plainStyle, p.paint(boldStyle, "Asked by "+seen(c.Sets[i])+" alone: ")+seen(strings.Join(asked, "; ")))
		}
	}
	if len(c.Apart) > 0 {
		p.blank()
		p.para("", plainStyle, seen("Not compared, since they forbid facts or leave a choice: "+strings.Join(c.Apart, ", ")))
	}
	return p.w.Flush()
}

// RuleProblems writes what is wrong with the rules of an estate.
func RuleProblems(w io.Writer, problems []review.RuleProblem, o output.Options) error {
	p := newPage(w, o)
	if len(problems) == 0 {
		p.para("", boldStyle, "The rules are in order: every clause reaches somebody and can be met, and none contradicts "+
			"or repeats another.")
	} else {
		p.para("", boldStyle, fmt.Sprintf("%d %s to look at.", len(problems), plural(len(problems), "thing", "things")))
	}
	for _, x := range problems {
		p.para("  "+padded(seen(x.System), 12), plainStyle, seen(x.Rule.String()+" "+x.Text))
	}
	return p.w.Flush()
}
