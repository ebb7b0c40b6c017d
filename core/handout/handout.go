// Package handout says what rules ask in the plain words of those who must heed
// them, from the clauses alone.
package handout

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// A System is one of which the rules are told.
type System struct {
	Name, Title string
	Labels      []string
	Rules       []*rules.Set
	Moment      time.Time                              // by which steps are told
	Limits      map[setting.ID]requirement.Requirement // what it can do at all
}

// A Handout is what the rules ask on systems.
type Handout struct {
	Estate string
	Since  string // what it is compared with, in words; "" for nothing
	Parts  []Part
}

// A Part is what is asked alike on some systems.
type Part struct {
	Systems  []System
	Sections []Section
	Nothing  []string // audiences of which nothing is asked
}

// A Section is what is asked alike of some audiences.
type Section struct {
	Audiences []string
	Lines     []Line
	Gone      []Line // that a former version had
}

// A Line is one thing that is asked.
type Line struct {
	Text    string // sentences
	If      string // a condition on which it depends; "" for none
	Because string
	Rule    rules.Rule
	Since   time.Time // zero where nothing says it
	Later   bool      // it is asked from Since on, which lies ahead
	New     bool      // a former version did not have it
	Was     string    // what a former version said in its place; "" for the same

	about   string     // what is the same thing in a former version
	setting setting.ID // that it is about; noSetting for another
}

// Of tells what rules ask; where called says what former is, also what is new or
// otherwise there.
func Of(estate string, systems, former []System, called string) *Handout {
	h := &Handout{Estate: estate, Since: called}
	for i := range systems {
		s := &systems[i]
		var before *System
		if called != "" {
			before = &System{Name: s.Name}
			if at := slices.IndexFunc(former, func(o System) bool { return o.Name == s.Name }); at >= 0 {
				before = &former[at]
			}
		}
		part := partOf(s, before)
		at := slices.IndexFunc(h.Parts, func(p Part) bool { return p.alike(&part) })
		if at >= 0 {
			h.Parts[at].Systems = append(h.Parts[at].Systems, *s)
			continue
		}
		h.Parts = append(h.Parts, part)
	}
	return h
}

func partOf(s, before *System) Part {
	p := Part{Systems: []System{*s}}
	for i := range rules.Audiences {
		a := &rules.Audiences[i]
		section := Section{Audiences: []string{a.Name}, Lines: linesFor(s, a)}
		if before != nil {
			section.Gone = compare(section.Lines, linesFor(before, a))
		}
		at := slices.IndexFunc(p.Sections, section.alike)
		switch {
		case len(section.Lines)+len(section.Gone) == 0:
			p.Nothing = append(p.Nothing, a.Name)
		case at >= 0:
			p.Sections[at].Audiences = append(p.Sections[at].Audiences, a.Name)
		default:
			p.Sections = append(p.Sections, section)
		}
	}
	return p
}

// linesFor is what is asked of an audience of a system: by setting, then what is not
// about settings, and what is asked later last.
func linesFor(s *System, a *rules.Audience) []Line {
	sets := rules.AllAt(s.Rules, s.Moment)
	var items []item
	var others, later []Line
	for _, f := range a.ClausesFor(sets, &facts.System{Name: s.Name, Title: s.Title, Labels: s.Labels}) {
		c := f.Clause
		first := Line{Because: c.Because, Rule: c.Rule, setting: noSetting}
		if !f.Sure {
			first.If = c.For.String()
		}
		if i := slices.IndexFunc(sets, func(s *rules.Set) bool { return s.Name == c.Rule.Set }); i >= 0 {
			first.Since = sets[i].InForce
		}
		for _, x := range c.Expect {
			l := first
			if l.about = setting.At(x.Setting).Name; x.Since.After(l.Since) {
				l.Since = x.Since
			}
			l.setting = x.Setting
			items = append(items, item{l, x.Requirement})
		}
		others = append(others, othersOf(c, first)...)
		for _, x := range c.Coming {
			l := first
			l.Text, l.Later, l.Since = Sentence(x.Setting, x.Step.Requirement), true, x.Step.From
			l.about = setting.At(x.Setting).Name + " from " + x.Step.Day()
			later = append(later, l)
		}
	}
	return slices.Concat(said(settled(items), s.Limits), others, later)
}

// noSetting stands where a line is not about one setting.
const noSetting setting.ID = -1

// item is one requirement on a setting.
type item struct {
	Line
	requirement requirement.Requirement
}

// settled are items in the order of the catalogue, without those that another
// implies.
func settled(items []item) []item {
	var out []item
	for i, x := range items {
		implied := slices.ContainsFunc(items, func(o item) bool {
			return o.setting == x.setting && o.If == "" && o.requirement.Implies(x.requirement) && !x.requirement.Implies(o.requirement)
		})
		again := slices.ContainsFunc(items[:i], func(o item) bool {
			return o.setting == x.setting && o.If == x.If && o.requirement.String() == x.requirement.String()
		})
		if !implied && !again {
			out = append(out, x)
		}
	}
	slices.SortStableFunc(out, func(a, b item) int { return int(a.setting) - int(b.setting) })
	return out
}

// said puts items into sentences, and joins how many failures lock with how long,
// which mean nothing apart.
func said(items []item, limits map[setting.ID]requirement.Requirement) []Line {
	var lines []Line
	taken := map[int]bool{}
	for i := range items {
		if taken[i] {
			continue
		}
		x := &items[i]
		x.Text = Sentence(x.setting, x.requirement)
		for _, pair := range [][2]setting.ID{{setting.LockoutAttempts, setting.LockoutDuration}, {setting.SourceAttempts, setting.SourceDuration}} {
			other := slices.IndexFunc(items, func(o item) bool { return o.setting == pair[1] && o.If == x.If })
			if x.setting == pair[0] && other >= 0 && x.lasting(&items[other]) {
				taken[other] = true
			}
		}
		if limit, ok := limits[x.setting]; ok && x.requirement.Plain() {
			if _, possible := requirement.Together(x.requirement, limit); !possible {
				x.Text += " This system cannot do that; what it can: " + limit.String() + "."
			}
		}
		lines = append(lines, x.Line)
	}
	return lines
}

// lasting adds to how many failures lock how long a lock lasts; false where that takes
// a sentence of its own.
func (x *item) lasting(o *item) bool {
	if !simple(x.requirement, requirement.AtMost) {
		return false
	}
	switch {
	case simple(o.requirement, requirement.AtLeast):
		x.Text = strings.TrimSuffix(x.Text, ".") + ", for at least " + setting.At(o.setting).Text(o.requirement.Alternatives()[0].Values[0]) + "."
	case o.requirement.String() == "until unlocked":
		x.Text = strings.TrimSuffix(x.Text, ".") + ", until an administrator ends it."
	default:
		return false
	}
	if x.Because = cmp.Or(x.Because, o.Because); o.Since.After(x.Since) {
		x.Since = o.Since
	}
	return true
}

// simple reports whether a requirement is of one form alone, of an amount.
func simple(r requirement.Requirement, form string) bool {
	list := r.Alternatives()
	return len(list) == 1 && list[0].Form == form
}

// othersOf are what a clause asks that is no requirement on one setting.
func othersOf(c *rules.Clause, first Line) (lines []Line) {
	add := func(about, text string) {
		first.about, first.Text = about, strings.TrimSuffix(text, ".")+"."
		lines = append(lines, first)
	}
	if len(c.AnyOf) > 0 {
		var all []string
		for _, list := range c.AnyOf {
			var parts []string
			for _, x := range list {
				parts = append(parts, sentence(x.Setting, x.Requirement))
			}
			all = append(all, strings.Join(parts, " and "))
		}
		add("any of", "One of these is so: "+strings.Join(all, "; or "))
	}
	if c.Forbid != nil {
		add("forbid", "Not allowed: "+cmp.Or(c.Says, "accounts where "+c.Forbid.String()))
	}
	return lines
}

func (s *Section) alike(o Section) bool {
	return slices.Equal(s.Lines, o.Lines) && slices.Equal(s.Gone, o.Gone)
}

// alike reports whether two parts say the same.
func (p *Part) alike(o *Part) bool {
	return slices.Equal(p.Nothing, o.Nothing) && slices.EqualFunc(p.Sections, o.Sections, func(a, b Section) bool {
		return slices.Equal(a.Audiences, b.Audiences) && a.alike(b)
	})
}

// compare marks what is new, or was otherwise, against what a former version asked
// of the same audience, and returns what is gone.
func compare(lines, before []Line) (gone []Line) {
	taken := make([]bool, len(before))
	match := func(l *Line, alike func(o Line) bool) bool {
		for at := range before {
			if taken[at] || !alike(before[at]) {
				continue
			}
			taken[at], l.New = true, false
			if before[at].Text != l.Text {
				l.Was = before[at].Text
			}
			return true
		}
		return false
	}
	for i := range lines {
		l := &lines[i]
		l.New = !match(l, l.same)
	}
	for i := range lines { // what another clause asks of the same setting
		if l := &lines[i]; l.New && l.setting != noSetting {
			match(l, func(o Line) bool { return o.setting == l.setting && !o.Later && !l.Later })
		}
	}
	for at := range before {
		if !taken[at] {
			gone = append(gone, before[at])
		}
	}
	return gone
}

func (l *Line) same(o Line) bool { return l.Rule == o.Rule && l.about == o.about }
