// Package html writes the result as one page that needs nothing else: no
// network, no script to be read, and dark and light as the reader has it.
package html

import (
	"bufio"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"yewcone/core/audit"
	"yewcone/core/change"
	"yewcone/core/drift"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/password"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/output"
	"yewcone/output/visible"
)

//go:embed page.tmpl
var source string

//go:embed page.css
var style string

//go:embed page.js
var script string

// Lists that would make the page long are cut, with what was left out.
const (
	mostFindings = 1000
	mostUnknowns = 500
	mostChanges  = 300
	helpMost     = 5
	worst        = 12
)

// page is made when one is written first.
var page = sync.OnceValue(func() *template.Template {
	return template.Must(template.New("page").Funcs(template.FuncMap{
		"seen": visible.Text, "rules": rules.Names,
		"join": func(list []string) string { return visible.Text(strings.Join(list, ", ")) },
		"day":  day, "moment": moment, "origin": where, "reach": reach, "anchor": anchor, "add": func(a, b int) int { return a + b },
		"stood": stood, "word": word,
	}).Parse(source))
})

// with is the page with what stands on another.
func with(source string) func() *template.Template {
	return sync.OnceValue(func() *template.Template { return template.Must(template.Must(page().Clone()).Parse(source)) })
}

// A view is what the template shows.
type view struct {
	*finding.Result
	Asked          *audit.Matrix // of what the rules ask; nil for none
	Style          template.CSS
	Script         template.JS
	Version        string
	Accounts       int
	Refused        int
	Newest         time.Time
	Severities     []severityCount
	Worst          []*finding.Finding
	Findings       []*finding.Finding
	Omitted        int // findings that are left out
	Unknown        []finding.Unknown
	OmittedUnknown int
	Since          string
	Drift          *drift.Drift
	Trend          template.URL // a picture; "" where fewer than two results are kept
	Kept           int          // results in it
	Names          []nameGroup  // accounts that something became of
	Changes        []changeGroup
	Ways           []finding.Way
	Todo           []todo
	OmittedTodo    int
	First          []todo // that help most
	HelpMost       string
	Owned          bool // systems have owners
	Heat           heat
	Systems        []systemView
	Gaps           []gapTable
	Links          []linkView
	Guesses        []guessView
	Between        []*finding.Finding
	Charts         []chart
	Seen           []*finding.Finding // the worst of records of sign-ins
	Records        []recordView
}

// recordView is a record of sign-ins.
type recordView struct {
	System, Words string
	Image         template.URL
	Findings      []*finding.Finding
}

// todo is one change.
type todo struct {
	Rank                    int
	System, Owner           string
	Plain, Sum              string
	Before                  []string // what comes before it
	Steps                   []string
	Worth                   string
	Accounts, Ends, Serious int
}

type severityCount struct {
	Name string
	N    int
}

// changeGroup is the findings of which the same became.
type changeGroup struct {
	State    string
	Bad      bool
	Findings []*drift.Finding
	Omitted  int
}

// heat is how each rule comes out on each system.
type heat struct {
	Systems []string
	Groups  []heatGroup
}

type heatGroup struct {
	Name string
	Rows []heatRow
}

type heatRow struct {
	Rule  string
	Cells []heatCell
}

type heatCell struct{ Class, Word, Text string }

type systemView struct {
	*finding.SystemResult
	Counts   []severityCount
	Settings []settingView
	Findings int
}

type settingView struct {
	Name, Group string
	People      valueView
	Admins      valueView
	Asks        string
}

type valueView struct {
	Text  string
	Below bool
	Where string
}

type gapTable struct {
	Audience string
	Systems  []string
	Rows     []gapRow
}

type gapRow struct {
	Setting string
	Cells   []gapCell
}

type gapCell struct{ Text, Class, Title string }

type linkView struct {
	Title, Because string
	Agrees         bool
	Lines          []string
}

type guessView struct{ System, Audience, PerDay, OverLife, Bits, Space, Arithmetic string }

// spaceText tells how many passwords settings leave, and what each demand on
// them takes away.
func spaceBits(m *password.Measure) string {
	if m.Open {
		return "not known"
	}
	return fmt.Sprintf("%.1f", m.AtLeast.Bits())
}

func spaceText(m *password.Measure) string {
	if len(m.Collide) > 0 {
		return "no password is possible: " + password.Clash(m.Collide[0])
	}
	text := fmt.Sprintf("from %d characters on", m.Length)
	if m.AtMost.Number != nil {
		text += fmt.Sprintf("; at the ceiling of %d, %.1f", m.Ceiling, m.AtMost.Bits())
	}
	for _, p := range m.Prices {
		text += fmt.Sprintf("; %s %s takes %.2f", p.Setting, setting.At(p.Setting).Text(p.Value), max(0, -p.Bits))
	}
	return text
}

func day(t time.Time) string { return t.Format(time.DateOnly) }

func moment(t time.Time) string {
	if t.IsZero() {
		return "not known"
	}
	return t.UTC().Format("2006-01-02 15:04")
}

// where is a place with the text that stood there.
func where(o facts.Origin) string {
	text := o.String()
	if o.Text != "" {
		text += "  " + o.Text
	}
	return visible.Text(text)
}

// reach says whom a finding concerns.
func reach(r finding.Reach) string {
	if r.Accounts == 0 {
		return ""
	}
	text := fmt.Sprintf("%d accounts", r.Accounts)
	if r.Accounts == 1 {
		text = "1 account"
	}
	if r.Privileged > 0 {
		text += fmt.Sprintf(", %d privileged", r.Privileged)
	}
	if r.Disabled > 0 {
		text += fmt.Sprintf(", %d disabled", r.Disabled)
	}
	return text
}

// anchor makes a name fit for a link within the page.
func anchor(text string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' {
			return r
		}
		return '-'
	}, text)
}

// Check writes the page.
func Check(w io.Writer, r *finding.Result, o output.Options) error {
	v := &view{Result: r, Style: template.CSS(style), Script: template.JS(script), Version: o.Version}
	for i := range r.Systems {
		s := &r.Systems[i]
		v.Accounts += s.Accounts
		v.Refused += s.Refused
		if s.AsOf.After(v.Newest) {
			v.Newest = s.AsOf
		}
	}
	for i := range r.Findings {
		if i < mostFindings {
			v.Findings = append(v.Findings, &r.Findings[i])
		}
		if f := &r.Findings[i]; f.Between && !strings.HasPrefix(f.Rule.Clause, "link-") {
			v.Between = append(v.Between, &r.Findings[i])
		}
	}
	v.Omitted = len(r.Findings) - len(v.Findings)
	v.Worst = v.Findings[:min(worst, len(v.Findings))]
	v.Unknown = r.Unknowns[:min(mostUnknowns, len(r.Unknowns))]
	v.OmittedUnknown = len(r.Unknowns) - len(v.Unknown)
	v.Severities = counts(r, "")
	if o.Asked != nil {
		v.Asked = audit.MatrixOf(o.Asked)
	}
	if err := v.records(o); err != nil {
		return err
	}
	if err := v.changes(o); err != nil {
		return err
	}
	v.todo()
	v.heat()
	v.systems()
	if r.Gaps != nil {
		v.gaps()
	}
	v.charts()
	out := bufio.NewWriterSize(w, 1<<16)
	if err := page().Execute(out, v); err != nil {
		return err
	}
	return out.Flush()
}

func counts(r *finding.Result, system string) []severityCount {
	by := r.CountBySeverity(system)
	var list []severityCount
	for _, s := range rules.Severities {
		list = append(list, severityCount{s.String(), by[s]})
	}
	return list
}

// todo lists what to do, the most worthwhile first.
func (v *view) todo() {
	v.Ways = v.Result.Ways()
	list := change.Of(v.Result)
	v.HelpMost = change.HowMuch(v.Result, list, 10)
	for i := range list {
		c := &list[i]
		v.Owned = v.Owned || c.Owner != ""
		t := todo{Rank: i + 1, System: c.System, Owner: c.Owner, Plain: c.Plain(v.Result, 0), Sum: change.Sum(v.Result, c), Before: c.First,
			Accounts: c.Accounts, Ends: len(c.Ends)}
		for _, f := range c.Ends {
			if v.Result.Findings[f].Severity >= rules.High {
				t.Serious++
			}
		}
		if i < helpMost {
			short := t
			short.Plain = c.Plain(v.Result, 5)
			v.First = append(v.First, short)
		}
		for j := range c.Steps {
			if s := &c.Steps[j]; s.IsSetting {
				text := s.Do
				if len(c.Policies) > 1 {
					text += " in " + s.Policy
				}
				t.Steps = append(t.Steps, text)
			}
		}
		if i < mostChanges {
			v.Todo = append(v.Todo, t)
		} else {
			v.OmittedTodo++
		}
	}
}

// A nameGroup is some accounts that something became of.
type nameGroup struct {
	System, What   string
	Names          []string
	Count, Omitted int
}

// mostNames bounds how many accounts a group names.
const mostNames = 50

// A heatKey is a cell of the table of rules and systems.
type heatKey struct {
	system string
	rule   rules.Rule
}

// heat puts rules into rows and systems into columns.
func (v *view) heat() {
	worst := map[heatKey]rules.Severity{}
	for i := range v.Result.Findings {
		f := &v.Result.Findings[i]
		key := heatKey{f.System, f.Rule}
		worst[key] = max(worst[key], f.Severity)
	}
	var order []rules.Rule
	states := map[heatKey]string{}
	for i := range v.Result.Systems {
		s := &v.Result.Systems[i]
		v.Heat.Systems = append(v.Heat.Systems, s.Name)
		for _, outcome := range s.Outcomes {
			if !slices.Contains(order, outcome.Rule) {
				order = append(order, outcome.Rule)
			}
			states[heatKey{s.Name, outcome.Rule}] = outcome.State
		}
	}
	for _, rule := range order {
		row := heatRow{Rule: rule.String()}
		broken := false
		for _, name := range v.Heat.Systems {
			key := heatKey{name, rule}
			cell := heatCell{"none", "", "not asked"}
			switch state, asked := states[key]; {
			case !asked:
			case state == finding.Broken && worst[key] == 0:
				cell = heatCell{"accepted", "accepted", "accepted"}
			case state == finding.Broken:
				broken = true
				cell = heatCell{worst[key].String(), worst[key].String(), "broken"}
			case state == finding.Open:
				cell = heatCell{"open", "?", "not known"}
			case state == finding.NotForIt:
				cell = heatCell{"none", "·", "reaches nobody"}
			default:
				cell = heatCell{"met", "met", "met"}
				if rule.BuiltIn {
					cell.Word, cell.Text = "clear", "found nothing"
				}
			}
			row.Cells = append(row.Cells, cell)
		}
		set := rule.Set
		if rule.BuiltIn {
			if set = checksGroup; !broken {
				continue
			}
		}
		at := slices.IndexFunc(v.Heat.Groups, func(g heatGroup) bool { return g.Name == set })
		if at < 0 {
			at = len(v.Heat.Groups)
			v.Heat.Groups = append(v.Heat.Groups, heatGroup{Name: set})
		}
		v.Heat.Groups[at].Rows = append(v.Heat.Groups[at].Rows, row)
	}
	slices.SortStableFunc(v.Heat.Groups, func(a, b heatGroup) int { // the checks last
		return strings.Compare(fmt.Sprint(a.Name == checksGroup), fmt.Sprint(b.Name == checksGroup))
	})
}

const checksGroup = "built-in checks that found something"

func (v *view) systems() {
	var people, admins []gap.Row
	if v.Result.Gaps != nil {
		people, admins = v.Result.Gaps.Compare(gap.People), v.Result.Gaps.Compare(gap.Privileged)
	}
	for i := range v.Result.Systems {
		s := &v.Result.Systems[i]
		view := systemView{SystemResult: s, Counts: counts(v.Result, s.Name)}
		for _, c := range view.Counts {
			view.Findings += c.N
		}
		view.Settings = settingsOf(i, s, people, admins)
		v.Systems = append(v.Systems, view)
	}
}

// settingsOf are what holds on one system, by its number, beside what the rules
// ask.
func settingsOf(i int, s *finding.SystemResult, people, admins []gap.Row) []settingView {
	asks := map[string][]string{}
	for _, a := range s.Asks {
		asks[a.Setting] = append(asks[a.Setting], a.Text+" ("+a.Rule.String()+")")
	}
	var list []settingView
	for n := range people {
		def := people[n].Setting
		row := settingView{Name: def.Name, Group: def.Group, People: valueOf(def, &people[n].Cells[i]),
			Admins: valueOf(def, &admins[n].Cells[i]), Asks: strings.Join(asks[def.Name], "; ")}
		if row.People.Text != "" || row.Admins.Text != "" || row.Asks != "" {
			list = append(list, row)
		}
	}
	return list
}

func valueOf(def *setting.Setting, c *gap.Cell) valueView {
	if c.None || !c.Value.Known() {
		return valueView{}
	}
	v := valueView{Text: def.Text(c.Value), Below: c.Below}
	if c.Mixed() {
		v.Text += fmt.Sprintf(" (%d of %d)", c.Accounts, c.Of)
	}
	v.Where = where(c.Origin)
	if c.Policy != "" {
		v.Where += " (policy " + visible.Text(c.Policy) + ")"
	}
	return v
}

func (v *view) gaps() {
	g := v.Result.Gaps
	for _, a := range gap.Audiences {
		t := gapTable{Audience: a.String()}
		for _, p := range g.Profiles {
			t.Systems = append(t.Systems, p.System)
		}
		for _, row := range g.Compare(a) {
			if !row.Differs {
				continue
			}
			r := gapRow{Setting: row.Setting.Name}
			for i := range row.Cells {
				r.Cells = append(r.Cells, cellOf(row.Setting, &row.Cells[i]))
			}
			t.Rows = append(t.Rows, r)
		}
		if len(t.Rows) > 0 {
			v.Gaps = append(v.Gaps, t)
		}
	}
	for _, l := range g.Links {
		view := linkView{Title: l.Between[0] + " and " + l.Between[1], Because: l.Because, Agrees: l.Agrees()}
		for _, u := range l.Unequal {
			def := setting.At(u.ID)
			view.Lines = append(view.Lines, fmt.Sprintf("%s: %s on %s, %s on %s", def.Name, def.Text(u.Cells[0].Value),
				l.Between[0], def.Text(u.Cells[1].Value), l.Between[1]))
		}
		if l.Locks != "" {
			view.Lines = append(view.Lines, l.Locks)
		}
		for _, set := range l.Collide {
			view.Lines = append(view.Lines, "no password satisfies both: "+password.Clash(set))
		}
		view.Lines = append(view.Lines, l.Ages...)
		if l.Shared && len(l.Collide) == 0 && !l.LengthOpen {
			view.Lines = append(view.Lines, fmt.Sprintf("one password: both take some from %d characters on, %.1f bits at "+
				"that length", l.Length, l.Common.Bits()))
		}
		v.Links = append(v.Links, view)
	}
	for i := range g.Guesses {
		b := &g.Guesses[i]
		v.Guesses = append(v.Guesses, guessView{b.System, b.Audience.String(), output.Count(b.PerDay, b.Known),
			output.Count(b.OverLife(), b.Known && b.LifeKnown), spaceBits(&b.Space),
			spaceText(&b.Space), b.Arithmetic()})
	}
}

func cellOf(def *setting.Setting, c *gap.Cell) gapCell {
	switch {
	case c.None:
		return gapCell{"", "none", "nobody there"}
	case !c.Value.Known():
		return gapCell{"?", "open", "not shown by the export"}
	}
	v := valueOf(def, c)
	cell := gapCell{v.Text, "", v.Where}
	var marks []string
	for _, m := range []struct {
		on          bool
		mark, class string
	}{{c.Below, "below the rules", "high"}, {c.Strictest, "strictest", ""}, {c.Loosest, "loosest", ""}, {c.Odd, "odd one out", "low"}} {
		if m.on {
			marks = append(marks, m.mark)
			if cell.Class == "" {
				cell.Class = m.class
			}
		}
	}
	if len(marks) > 0 {
		cell.Title = strings.Join(marks, ", ") + "; " + cell.Title
		cell.Text += " " + short(c)
	}
	return cell
}

// short are the marks in single signs, as the terminal has them.
func short(c *gap.Cell) string {
	text := ""
	for _, m := range []struct {
		on   bool
		mark string
	}{{c.Below, "!"}, {c.Strictest, "+"}, {c.Loosest, "−"}, {c.Odd, "~"}} {
		if m.on {
			text += m.mark
		}
	}
	return text
}
