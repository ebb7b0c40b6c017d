package rules

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// A Drafting is what a draft is made for.
type Drafting struct {
	Name    string // of the set to be
	System  string // that it is for
	Limits  map[setting.ID]requirement.Requirement
	Says    func(setting.ID) bool // whether the system's export says anything of a setting
	Loosest bool                  // where sets ask a different thing of the same accounts, the loosest counts; else the strictest
}

// A Draft is a rule set that is made of others.
type Draft struct {
	Drafting
	From    []string
	Clauses []draftClause
	Cuts    []Cut
	Unsaid  []string // what the system's export never says, with who asks it
	Looser  []string // what the draft asks less of than a set
	Crossed []string // what no value meets
}

// A Cut is what a set asks and the system cannot do.
type Cut struct {
	Rule    Rule
	Setting setting.ID
	Asked   string
	Nearest setting.Value
}

type draftClause struct {
	id       string
	source   *Clause
	fixed    bool // it replaces others or is replaced, and stays as it is
	reach    string
	expect   []draftItem
	replaces []string
}

// draftItem is one expectation, with the sets that ask for no more.
type draftItem struct {
	setting setting.ID
	ladder  requirement.Ladder
	also    []alsoAsked
}

// alsoAsked is what another clause asks of the same.
type alsoAsked struct {
	rule        Rule
	requirement requirement.Requirement
}

// DraftOf makes a rule set of others: clauses for the same accounts are joined, what
// the system cannot do is cut to the nearest that it can, and what its export never
// says is left out.
func DraftOf(sets []*Set, d Drafting) *Draft {
	out := &Draft{Drafting: d}
	replaced := map[string]bool{}
	for _, s := range sets {
		out.From = append(out.From, s.Name)
		for i := range s.Clauses {
			for _, name := range s.Clauses[i].Replaces {
				replaced[name] = true
			}
		}
	}
	for _, s := range sets {
		for i := range s.Clauses {
			c := &s.Clauses[i]
			x := draftClause{id: out.idFor(c), source: c, reach: c.For.Expanded(), fixed: len(c.Replaces) > 0 || replaced[c.Rule.String()]}
			for _, e := range c.Expect {
				if len(e.Ladder) > 0 {
					x.expect = append(x.expect, draftItem{setting: e.Setting, ladder: e.Ladder})
				}
			}
			out.Clauses = append(out.Clauses, x)
		}
	}
	out.join()
	out.linkReplaced()
	out.cutAndDrop()
	return out
}

// idFor is the clause's own, where no other has it.
func (d *Draft) idFor(c *Clause) string {
	id := c.Rule.Clause
	for slices.ContainsFunc(d.Clauses, func(o draftClause) bool { return o.id == id }) {
		id = c.Rule.Set + "-" + id
	}
	return id
}

// plain is the requirement of an item without steps and without other systems.
func (x *draftItem) plain() (requirement.Requirement, bool) {
	return x.ladder[0].Requirement, len(x.ladder) == 1 && x.ladder[0].From.IsZero() && x.ladder[0].Requirement.Plain()
}

// join lets one clause ask what several ask of the same setting, of the same accounts
// or of some that the other reaches too.
func (d *Draft) join() {
	for i := range d.Clauses {
		for n := 0; n < len(d.Clauses[i].expect); n++ {
			d.joinOne(i, n)
		}
	}
	for i := range d.Clauses {
		d.Clauses[i].expect = slices.DeleteFunc(d.Clauses[i].expect, func(x draftItem) bool { return x.ladder == nil })
	}
}

func (d *Draft) joinOne(i, n int) {
	a := &d.Clauses[i]
	x := &a.expect[n]
	if x.ladder == nil || a.fixed {
		return
	}
	mine, ok := x.plain()
	for j := range d.Clauses {
		b := &d.Clauses[j]
		if b.fixed || i == j || b.source.Rule.Set == a.source.Rule.Set {
			continue
		}
		for k := range b.expect {
			y := &b.expect[k]
			if y.setting != x.setting || y.ladder == nil {
				continue
			}
			theirs, plain := y.plain()
			if !ok || !plain {
				continue
			}
			switch {
			case a.reach == b.reach && d.Loosest:
				mine = d.loosen(x, mine, theirs, b)
				y.ladder = nil
			case a.reach == "" && b.reach != "" && d.Loosest:
				d.loosen(y, theirs, mine, a)
				if !slices.Contains(b.replaces, a.id) {
					b.replaces = append(b.replaces, a.id)
				}
			case (a.reach == b.reach || a.reach == "") && mine.Implies(theirs):
				x.also = append(x.also, alsoAsked{b.source.Rule, theirs})
				y.ladder = nil
			case a.reach == b.reach || a.reach == "" || b.reach == "":
				if _, together := requirement.Together(mine, theirs); !together && i < j {
					d.Crossed = append(d.Crossed, fmt.Sprintf("%s: %s asks for %s, and %s for %s", x.setting, a.source.Rule, mine, b.source.Rule, theirs))
				}
			}
		}
	}
}

// loosen lets an item ask what either of two requirements asks.
func (d *Draft) loosen(x *draftItem, mine, theirs requirement.Requirement, other *draftClause) requirement.Requirement {
	loose := mine
	switch {
	case theirs.Implies(mine):
	case mine.Implies(theirs):
		loose = theirs
	default:
		loose = mine.Or(theirs)
	}
	for _, r := range []requirement.Requirement{mine, theirs} {
		if !loose.Implies(r) {
			d.Looser = append(d.Looser, fmt.Sprintf("%s: %s, where a set asks for %s", x.setting, loose, r))
		}
	}
	x.also = append(x.also, alsoAsked{other.source.Rule, theirs})
	x.ladder = requirement.Ladder{{Requirement: loose}}
	return loose
}

// linkReplaced names what is replaced as the draft names it.
func (d *Draft) linkReplaced() {
	for i := range d.Clauses {
		c := &d.Clauses[i]
		for _, name := range c.source.Replaces {
			at := slices.IndexFunc(d.Clauses, func(o draftClause) bool { return o.source.Rule.String() == name })
			if at >= 0 {
				name = d.Clauses[at].id
			}
			if !slices.Contains(c.replaces, name) {
				c.replaces = append(c.replaces, name)
			}
		}
	}
}

// cutAndDrop holds what is asked against what the system can do and says. Clauses of
// which nothing is left go, unless others name them.
func (d *Draft) cutAndDrop() {
	for i := range d.Clauses {
		c := &d.Clauses[i]
		c.expect = slices.DeleteFunc(c.expect, func(x draftItem) bool {
			if d.Says(x.setting) {
				return false
			}
			d.Unsaid = append(d.Unsaid, fmt.Sprintf("%s %s (%s)", x.setting, x.ladder, c.source.Rule))
			return true
		})
		for n := range c.expect {
			d.cut(c, &c.expect[n])
		}
		c.expect = slices.DeleteFunc(c.expect, func(x draftItem) bool { return x.ladder == nil })
	}
	empty := func(c draftClause) bool {
		return len(c.expect) == 0 && len(c.source.AnyOf) == 0 && c.source.Forbid == nil
	}
	for _, c := range d.Clauses {
		if empty(c) {
			for i := range d.Clauses {
				d.Clauses[i].replaces = slices.DeleteFunc(d.Clauses[i].replaces, func(name string) bool { return name == c.id })
			}
		}
	}
	d.Clauses = slices.DeleteFunc(d.Clauses, empty)
}

// cut brings the steps of an item within what the system can do.
func (d *Draft) cut(c *draftClause, x *draftItem) {
	limit, limited := d.Limits[x.setting]
	if !limited || slices.ContainsFunc(x.ladder, func(s requirement.Step) bool { return !s.Requirement.Plain() }) {
		return
	}
	var ladder requirement.Ladder
	for _, step := range x.ladder {
		if _, possible := requirement.Together(step.Requirement, limit); !possible {
			nearest := step.Requirement.Nearest(limit)
			d.tellCut(Cut{c.source.Rule, x.setting, step.Requirement.String(), nearest})
			phrase, err := requirement.Parse(setting.At(x.setting), asFarAs(setting.At(x.setting), nearest))
			if err != nil {
				continue // nothing that the system can do comes near
			}
			step.Requirement = phrase
		}
		if n := len(ladder); n == 0 || ladder[n-1].Requirement.String() != step.Requirement.String() {
			ladder = append(ladder, step)
		}
	}
	x.ladder = ladder
	for _, also := range x.also {
		if _, possible := requirement.Together(also.requirement, limit); !possible {
			d.tellCut(Cut{also.rule, x.setting, also.requirement.String(), also.requirement.Nearest(limit)})
		}
	}
}

// tellCut notes a cut, one for each clause and setting.
func (d *Draft) tellCut(c Cut) {
	if !slices.ContainsFunc(d.Cuts, func(o Cut) bool { return o.Rule == c.Rule && o.Setting == c.Setting }) {
		d.Cuts = append(d.Cuts, c)
	}
}

// asFarAs asks for a value, or for what is stricter.
func asFarAs(s *setting.Setting, v setting.Value) string {
	_, flag := v.Flag()
	switch {
	case flag || v.State() == setting.Off || v.State() == setting.UntilUnlocked:
		return s.Text(v)
	case s.Order == setting.Higher:
		return "at least " + s.Text(v)
	case s.Order == setting.Lower:
		return "at most " + s.Text(v)
	}
	return s.Text(v)
}

// YAML writes the draft as a file of rules, with what was decided as remarks.
func (d *Draft) YAML() string {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	word := "strictest"
	if d.Loosest {
		word = "loosest"
	}
	line("# A draft for %s, made of %s: where they differ, the %s counts.", d.System, strings.Join(d.From, ", "), word)
	remarks := func(title string, list []string) {
		if len(list) > 0 {
			line("#\n# %s", title)
			for _, text := range list {
				line("#   %s", text)
			}
		}
	}
	remarks("Left out, since the export of "+d.System+" never says it:", d.Unsaid)
	remarks("Asked for less than a set asks:", d.Looser)
	remarks("Met by no value; take one of the two out:", d.Crossed)
	line("rules: %s", d.Name)
	line("title: %s", strconv.Quote("Rules of "+d.System))
	line("source: %s", strconv.Quote("drafted from "+strings.Join(d.From, ", ")))
	line("clauses:")
	if len(d.Clauses) == 0 {
		line("  # Nothing is left to ask.")
	}
	for i := range d.Clauses {
		d.Clauses[i].yaml(line)
	}
	if len(d.Cuts) > 0 {
		line("\n# What %s cannot do was cut to the nearest that it can. Where the sets above hold there", d.System)
		line("# too, these exceptions are for exceptions.yaml; say why, who answers and until when.")
	}
	for _, c := range d.Cuts {
		line("#  - system: %s\n#    rule: %s\n#    setting: %s\n#    value: %q     # asked for: %s\n#    because:\n#    owner:\n#    until:", d.System, c.Rule, c.Setting,
			setting.At(c.Setting).Text(c.Nearest), c.Asked)
	}
	return b.String()
}

func (c *draftClause) yaml(line func(string, ...any)) {
	s := c.source
	line("  - id: %s%s", c.id, strings.Repeat(" ", max(1, 28-len(c.id)))+"# "+s.Rule.String())
	quoted := func(key, text string) {
		if text != "" {
			text = strings.Join(strings.Fields(text), " ")
			if strings.ContainsFunc(text, func(r rune) bool { return !unicode.IsPrint(r) }) {
				line("    %s: %s", key, strconv.Quote(text))
				return
			}
			line("    %s: '%s'", key, strings.ReplaceAll(text, "'", "''"))
		}
	}
	quoted("for", c.reach)
	if len(c.expect) > 0 {
		line("    expect:")
		for _, x := range c.expect {
			also := ""
			for _, a := range x.also {
				also += map[bool]string{true: "   # also ", false: ", "}[also == ""] + a.rule.String() + " (" + a.requirement.String() + ")"
			}
			line("      %s: %s%s", x.setting, x.ladder, also)
		}
	}
	if len(s.AnyOf) > 0 {
		line("    any_of:")
		for _, list := range s.AnyOf {
			for n, x := range list {
				line("      %s %s: %s", map[bool]string{true: "-", false: " "}[n == 0], x.Setting, x.Requirement)
			}
		}
	}
	if s.Forbid != nil {
		quoted("forbid", s.Forbid.Expanded())
	}
	quoted("says", s.Says)
	line("    severity: %s", s.Severity)
	if s.IfPrivileged != s.Severity {
		line("    if_privileged: %s", s.IfPrivileged)
	}
	if len(c.replaces) > 0 {
		line("    replaces: [%s]", strings.Join(c.replaces, ", "))
	}
	quoted("because", cmp.Or(s.Because, ""))
	quoted("remedy", s.Remedy)
}
