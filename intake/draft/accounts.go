package draft

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yewcone/intake/mapping"
)

// accounts drafts a table of accounts.
func (d *drafter) accounts(s *sample) {
	d.head(s)
	d.line("    take:")
	used := map[string]bool{}
	best := s.bestFacts()
	for c, h := range s.header {
		f := match(factClues, h)
		if at, found := best["login"]; found && at == c {
			f = "login"
		}
		if f != "" && (best[f] != c || used[f]) {
			f = ""
		}
		used[f] = true
		d.line("      %s", d.accountLine(s, c, f))
	}
}

// bestFacts are the columns that read most like each fact.
func (s *sample) bestFacts() map[string]int {
	best := map[string]int{}
	for c, h := range s.header {
		if f := match(factClues, h); f != "" {
			if _, taken := best[f]; !taken || f == "login" && better(h, s.header[best[f]]) {
				best[f] = c
			}
		}
	}
	if _, found := best["login"]; !found {
		if c := s.names(); c >= 0 {
			best["login"] = c
		}
	}
	return best
}

// accountLine drafts the line for one column; "" as the fact for one that
// nothing is proposed for.
func (d *drafter) accountLine(s *sample, c int, f string) string {
	h, evidence := s.header[c], s.evidence(c, f)
	if f == "" {
		return fmt.Sprintf("# ?: %s   # %s", yamlText(h), evidence)
	}
	line := d.fact(f, h, s.column(c), len(s.rows))
	switch {
	case strings.HasPrefix(line, "#"):
		return fmt.Sprintf("# %s: %s; %s", f, strings.TrimPrefix(line, "#"), evidence)
	case !strings.Contains(line, "   # "):
		line += "   #"
	default:
		line += ";"
	}
	return fmt.Sprintf("%s: %s %s", f, line, evidence)
}

// better prefers a column of sign-in names to one of numbers.
func better(heading, than string) bool {
	clear := regexp.MustCompile("sign in|user name|username|login")
	return clear.MatchString(plainWords(heading)) && !clear.MatchString(plainWords(than))
}

// fact drafts how one fact is read.
func (d *drafter) fact(fact, from string, values []string, rows int) string {
	options := []string{"from: " + yamlText(from)}
	remark := ""
	switch {
	case mapping.KindOf(fact) == mapping.DateFact:
		if form := dateFormOf(values); form != "" && form != d.dates {
			options = append(options, "dates: "+form)
		}
		switch form := dateFormOf(values); {
		case slices.ContainsFunc(values, nought().MatchString):
			remark = "0 stands here: say \"zero: never\" if it means that"
		case form == "" && d.dates == "" && len(values) > 0:
			return "#" + yamlText(from) + "   # in what form are these dates"
		case len(values) < rows:
			word := "never"
			if strings.HasPrefix(fact, "locked") {
				word = "not locked"
			}
			remark = fmt.Sprintf("what does nothing mean: \"empty: %s\" or \"null: %s\"", word, word)
		}
	case mapping.KindOf(fact) == mapping.FlagFact:
		if options, remark = d.answers(fact, from, values, options); remark == unsaid {
			return "#{" + strings.Join(options, ", ") + "}   # " + remark
		}
	case mapping.KindOf(fact) == mapping.ListFact:
		for _, sep := range []string{",", ";", "|"} {
			if slices.ContainsFunc(values, func(v string) bool { return strings.Contains(v, sep) }) {
				options, remark = append(options, "split: "+strconv.Quote(sep)), "likely"
				break
			}
		}
	}
	text := yamlText(from)
	if len(options) > 1 {
		text = "{" + strings.Join(options, ", ") + "}"
	}
	if remark != "" {
		text += "   # " + remark
	}
	return text
}

// unsaid is remarked of questions whose words are not known.
const unsaid = "which words mean yes, and which no"

// answers drafts which words mean yes and no; a heading that says the opposite
// of the fact turns them round.
func (d *drafter) answers(fact, from string, values []string, options []string) ([]string, string) {
	words := plainWords(from)
	opposite := fact == "enabled" && regexp.MustCompile("off|disabled").MatchString(words) || fact == "never_expires" &&
		strings.HasSuffix(words, "password expires")
	yes, no := yesNoOf(values)
	switch {
	case yes != "" && opposite:
		return append(options, fmt.Sprintf("yes: %q, no: %q", no, yes)), "turned round, since the heading says the opposite"
	case yes != "" && !slices.Contains(d.yes, yes):
		return append(options, fmt.Sprintf("yes: %q, no: %q", yes, no)), ""
	case yes != "":
		return options, ""
	}
	distinct := slices.Compact(slices.Sorted(slices.Values(values)))
	if len(distinct) == 0 {
		return options, "nothing stands here: say what \"empty\" means"
	}
	return append(options, "yes: [?], no: [?]"), unsaid
}
