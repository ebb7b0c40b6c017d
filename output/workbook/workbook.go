// Package workbook writes the result as a spreadsheet of several sheets. No
// cell is a formula: texts are written as texts.
package workbook

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"yewcone/core/change"
	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/output"
	"yewcone/output/visible"
)

// mostRows is how many rows a sheet takes.
const mostRows = 1048576

// book writes sheets one after the other.
type book struct {
	file   *excelize.File
	head   int // styles
	moment int
	day    int
	wrap   int
	number int
	sheets int
	err    error
}

// column is a heading with its width in characters.
type column struct {
	name  string
	width float64
}

// sheet is one being written.
type sheet struct {
	book    *book
	name    string
	writer  *excelize.StreamWriter
	row     int
	columns []column
	left    int // rows that did not fit
}

func (b *book) fail(err error) {
	if b.err == nil && err != nil {
		b.err = err
	}
}

// sheet begins one, with its heading frozen and every column filtered.
func (b *book) sheet(name string, columns ...column) *sheet {
	s := &sheet{book: b, name: name, columns: columns}
	if b.err != nil {
		return s
	}
	var err error
	if b.sheets++; b.sheets == 1 { // a new workbook has one already; to delete it the library would read all others
		err = b.file.SetSheetName(b.file.GetSheetName(0), name)
	} else {
		_, err = b.file.NewSheet(name)
	}
	if err != nil {
		b.fail(err)
		return s
	}
	fit, landscape, one, all := true, "landscape", 1, 0
	b.fail(b.file.SetSheetProps(name, &excelize.SheetPropsOptions{FitToPage: &fit}))
	b.fail(b.file.SetPageLayout(name, &excelize.PageLayoutOptions{Orientation: &landscape, FitToWidth: &one, FitToHeight: &all}))
	w, err := b.file.NewStreamWriter(name)
	if err != nil {
		b.fail(err)
		return s
	}
	s.writer = w
	for i, c := range columns {
		b.fail(w.SetColWidth(i+1, i+1, c.width))
	}
	b.fail(w.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}))
	var heads []any
	for _, c := range columns {
		heads = append(heads, excelize.Cell{StyleID: b.head, Value: c.name})
	}
	b.fail(w.SetRow("A1", heads))
	s.row = 1
	return s
}

// add writes a row; numbers, moments and texts keep their kind.
func (s *sheet) add(values ...any) {
	if s.book.err != nil {
		return
	}
	if s.row >= mostRows-1 {
		s.left++
		return
	}
	s.row++
	cells := make([]any, len(values))
	for i, v := range values {
		switch v := v.(type) {
		case string:
			cells[i] = excelize.Cell{StyleID: s.book.wrap, Value: text(v)}
		case time.Time:
			if v.IsZero() {
				cells[i] = ""
			} else {
				cells[i] = excelize.Cell{StyleID: s.book.moment, Value: v.UTC()}
			}
		case dayOnly:
			cells[i] = excelize.Cell{StyleID: s.book.day, Value: time.Time(v).UTC()}
		default:
			cells[i] = excelize.Cell{StyleID: s.book.number, Value: v}
		}
	}
	at, err := excelize.CoordinatesToCellName(1, s.row)
	s.book.fail(err)
	s.book.fail(s.writer.SetRow(at, cells, excelize.RowOpts{Height: s.height(values)}))
}

// lineHeight is that of a line of text, in points.
const lineHeight = 15

// height is what a row needs for its longest text, which wraps within its
// column; at most eight lines.
func (s *sheet) height(values []any) float64 {
	lines := 1
	for i, v := range values {
		if text, ok := v.(string); ok && i < len(s.columns) {
			lines = max(lines, int(math.Ceil(float64(utf8.RuneCountInString(text))/(s.columns[i].width*0.95))))
		}
	}
	return lineHeight * float64(min(lines, 8))
}

type dayOnly time.Time

// text is what a cell holds: nothing invisible, and no more than fits.
func text(s string) string {
	s = visible.Text(s)
	if r := []rune(s); len(r) > 32000 {
		s = string(r[:32000]) + "…"
	}
	return s
}

// done ends a sheet.
func (s *sheet) done() {
	b := s.book
	if b.err != nil {
		return
	}
	if s.left > 0 {
		s.row++
		at, err := excelize.CoordinatesToCellName(1, s.row)
		b.fail(err)
		b.fail(s.writer.SetRow(at, []any{fmt.Sprintf("%d more rows do not fit; yewcone check --format csv writes all", s.left)}))
	}
	to, err := excelize.CoordinatesToCellName(len(s.columns), max(s.row, 2))
	b.fail(err)
	stripes := false
	b.fail(s.writer.AddTable(&excelize.Table{Range: "A1:" + to, Name: tableName(s.name), StyleName: "TableStyleLight1", ShowRowStripes: &stripes}))
	b.fail(s.writer.Flush())
}

// Check writes the workbook.
func Check(w io.Writer, r *finding.Result, o output.Options) error {
	return write(w, r.Estate, o, func(b *book) {
		b.summary(r, o)
		b.changed(o)
		b.todo(r)
		b.findings(r)
		b.settings(r)
		b.gaps(r)
		b.accounts(r)
		b.unknowns(r)
		b.exceptions(r)
	})
}

// Drift writes what changed between two results.
func Drift(w io.Writer, d *drift.Drift, o output.Options) error {
	o.Drift = d
	return write(w, d.After.Estate, o, func(b *book) { b.changed(o) })
}

// write makes a workbook of what fill puts into it.
func write(w io.Writer, estate string, o output.Options, fill func(*book)) error {
	b := &book{file: excelize.NewFile()}
	defer b.file.Close()
	b.styles()
	if fill(b); b.err != nil {
		return b.err
	}
	if err := b.file.SetDocProps(&excelize.DocProperties{Title: text(estate) + ": passwords",
		Creator: "Yewcone " + o.Version, Created: "2000-01-01T00:00:00Z", Modified: "2000-01-01T00:00:00Z"}); err != nil {
		return err
	}
	return inOrder(b.file, w)
}

// inOrder writes the workbook with its parts in the order of their names: the
// library writes them in any.
func inOrder(f *excelize.File, w io.Writer) error {
	var whole bytes.Buffer
	if _, err := f.WriteTo(&whole); err != nil {
		return err
	}
	parts, err := zip.NewReader(bytes.NewReader(whole.Bytes()), int64(whole.Len()))
	if err != nil {
		return err
	}
	slices.SortFunc(parts.File, func(a, b *zip.File) int { return strings.Compare(a.Name, b.Name) })
	out := zip.NewWriter(w)
	for _, part := range parts.File {
		if err := out.Copy(part); err != nil {
			return err
		}
	}
	return out.Close()
}

func (b *book) styles() {
	style := func(s *excelize.Style) int {
		id, err := b.file.NewStyle(s)
		b.fail(err)
		return id
	}
	moment, day := "yyyy-mm-dd hh:mm", "yyyy-mm-dd"
	top := &excelize.Alignment{Vertical: "top"}
	b.head = style(&excelize.Style{Font: &excelize.Font{Bold: true}, Fill: excelize.Fill{Type: "pattern", Pattern: 1,
		Color: []string{"E4E8ED"}}, Border: []excelize.Border{{Type: "bottom", Style: 1, Color: "5A6675"}}})
	b.moment = style(&excelize.Style{CustomNumFmt: &moment, Alignment: top})
	b.day = style(&excelize.Style{CustomNumFmt: &day, Alignment: top})
	b.number = style(&excelize.Style{Alignment: top})
	b.wrap = style(&excelize.Style{Alignment: &excelize.Alignment{WrapText: true, Vertical: "top"}})
}

func (b *book) summary(r *finding.Result, o output.Options) {
	columns := []column{{"system", 16}, {"title", 26}, {"as of (UTC)", 17}, {"accounts", 10}, {"privileged", 11},
		{"disabled", 10}, {"policies", 10}}
	for _, s := range rules.Severities {
		columns = append(columns, column{s.String(), 10})
	}
	columns = append(columns, column{"clauses met", 12}, column{"clauses", 10}, column{"accepted", 10},
		column{"refused", 10}, column{"partial", 10})
	s := b.sheet("Summary", columns...)
	for i := range r.Systems {
		x := &r.Systems[i]
		counts := r.CountBySeverity(x.Name)
		row := []any{x.Name, x.Title, x.AsOf, x.Accounts, x.Privileged, x.Disabled, x.Policies}
		for _, severity := range rules.Severities {
			row = append(row, counts[severity])
		}
		s.add(append(row, x.Met, x.Clauses, x.Accepted, x.Refused, x.Partial)...)
	}
	if o.Drift != nil {
		s.add()
		s.add("Since " + o.Since + ": " + o.Drift.Sum())
	}
	s.done()
}

// changed writes what became of findings and values since an earlier result.
func (b *book) changed(o output.Options) {
	if o.Drift == nil {
		return
	}
	s := b.sheet("What changed", column{"what", 20}, column{"system", 14}, column{"severity", 10}, column{"in words", 70}, column{"notes", 50},
		column{"rule", 24}, column{"finding", 16})
	for _, list := range [][]drift.Value{o.Drift.Values, o.Drift.NotYet} {
		for i := range list {
			asked := ""
			if list[i].Asked == "" {
				asked = "nobody asked for it"
			}
			s.add("value", list[i].System, "", list[i].Words(), asked, "", "")
		}
	}
	for i := range o.Drift.Accounts {
		a := &o.Drift.Accounts[i]
		for _, l := range a.Lists() {
			for _, name := range l.Names {
				s.add("account", a.System, "", name, l.What, "", "")
			}
		}
	}
	for i := range o.Drift.Findings {
		f := &o.Drift.Findings[i]
		x := f.At()
		s.add(string(f.State), x.System, x.Severity, x.Sentence, strings.Join(f.Notes(), "; "), x.Rule, x.Fingerprint)
	}
	s.done()
}

// todo writes what to do: a row for each step, in their order, on one sheet for
// all and on one for each owner.
func (b *book) todo(r *finding.Result) {
	list := change.Of(r)
	columns := []column{{"rank", 9}, {"system", 14}, {"owner", 18}, {"policy", 18}, {"setting", 20}, {"in words", 28}, {"from", 16}, {"to", 16},
		{"what to do", 60}, {"first", 50}, {"ends critical", 9}, {"ends high", 9}, {"ends other", 9}, {"accounts", 10}, {"privileged", 11},
		{"findings", 40}, {"change", 14}}
	write := func(name, owner string) {
		s := b.sheet(name, columns...)
		for i := range list {
			c := &list[i]
			if owner != "" && c.Owner != owner {
				continue
			}
			for j := range c.Steps {
				step := &c.Steps[j]
				setting, words, from, to := "", "", "", ""
				if def := step.Def(); def != nil {
					setting, words, from, to = def.Name, def.Term(), def.Text(step.From), def.Text(step.To)
				}
				first := ""
				if j == 0 {
					first = strings.Join(c.First, "; ")
				}
				counts := change.BySeverity(r, step.Ended(c))
				critical, high := counts[rules.Critical], counts[rules.High]
				s.add(i+1, c.System, c.Owner, step.Policy, setting, words, from, to, step.Do, first, critical, high,
					len(step.Ended(c))-critical-high, step.Accounts, step.Privileged, strings.Join(change.Fingerprints(r, step.Findings), " "), c.ID)
			}
		}
		s.done()
	}
	write("To do", "")
	var owners, names []string
	for i := range r.Systems {
		if o := r.Systems[i].Owner; o != "" && !slices.Contains(owners, o) {
			owners = append(owners, o)
			name := sheetName("To do, "+text(o), len(owners), names)
			names = append(names, strings.ToLower(name))
			write(name, o)
		}
	}
}

// sheetName makes a text the name of a sheet: 31 characters, without those that
// names may not have, and not that of another but for letter case. Where it had
// to be changed, the number tells it apart.
func sheetName(name string, number int, taken []string) string {
	plain := strings.Map(func(r rune) rune {
		if strings.ContainsRune("[]:*?/\\'", r) {
			return ' '
		}
		return r
	}, name)
	if r := []rune(plain); len(r) > 31 {
		plain = string(r[:31])
	}
	if plain == name && !slices.Contains(taken, strings.ToLower(name)) {
		return name
	}
	r := []rune(plain)
	return strings.TrimSpace(string(r[:min(len(r), 27)])) + fmt.Sprintf(" %d", number)
}

// tableName makes the name of a sheet the name of its table.
func tableName(sheet string) string {
	return "T_" + strings.Map(func(r rune) rune {
		if r < 128 && (r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9') {
			return r
		}
		return '_'
	}, sheet) + fmt.Sprintf("_%d", len(sheet))
}

func (b *book) findings(r *finding.Result) {
	s := b.sheet("Findings", column{"severity", 10}, column{"system", 14}, column{"finding", 70}, column{"setting", 18},
		column{"value", 16}, column{"asked", 28}, column{"policy", 18}, column{"accounts", 10}, column{"privileged", 11},
		column{"disabled", 10}, column{"file", 36}, column{"line", 8}, column{"as it stood", 36}, column{"rule", 28},
		column{"fingerprint", 14}, column{"to mend", 60}, column{"because", 50})
	for i := range r.Findings {
		f := &r.Findings[i]
		s.add(f.Severity.String(), f.System, f.Sentence, f.Setting, f.Value, f.Asked, f.Policy, f.Reach.Accounts,
			f.Reach.Privileged, f.Reach.Disabled, f.Origin.File, line(f.Origin.Line), f.Origin.Text, f.Rule.String(), f.Fingerprint,
			f.Remedy, f.Because)
	}
	s.done()
}

func line(n int) any {
	if n == 0 {
		return ""
	}
	return n
}

func (b *book) settings(r *finding.Result) {
	s := b.sheet("Settings", column{"system", 14}, column{"group", 12}, column{"setting", 22}, column{"audience", 12},
		column{"value", 18}, column{"accounts", 10}, column{"of", 8}, column{"below the rules", 10},
		column{"the rules ask", 50}, column{"policy", 18}, column{"file", 36}, column{"line", 8}, column{"as it stood", 40})
	if r.Gaps != nil {
		for _, a := range gap.Audiences {
			rows := r.Gaps.Compare(a)
			for i := range r.Systems {
				asks := map[string][]string{}
				for _, ask := range r.Systems[i].Asks {
					asks[ask.Setting] = append(asks[ask.Setting], ask.Text+" ("+ask.Rule.String()+")")
				}
				for _, row := range rows {
					if c := &row.Cells[i]; !c.None && (c.Value.Known() || asks[row.Setting.Name] != nil) {
						s.add(c.System, row.Setting.Group, row.Setting.Name, a.String(), row.Setting.Text(c.Value),
							c.Accounts, c.Of, c.Below, strings.Join(asks[row.Setting.Name], "; "), c.Policy, c.Origin.File,
							line(c.Origin.Line), c.Origin.Text)
					}
				}
			}
		}
	}
	s.done()
}

func (b *book) gaps(r *finding.Result) {
	columns := []column{{"audience", 12}, {"setting", 22}}
	if r.Gaps != nil {
		for _, p := range r.Gaps.Profiles {
			columns = append(columns, column{p.System, 18})
		}
	}
	s := b.sheet("Gaps", columns...)
	if r.Gaps != nil {
		for _, a := range gap.Audiences {
			for _, row := range r.Gaps.Compare(a) {
				if !row.Differs {
					continue
				}
				cells := []any{a.String(), row.Setting.Name}
				for i := range row.Cells {
					cells = append(cells, gapCell(row.Setting, &row.Cells[i]))
				}
				s.add(cells...)
			}
		}
	}
	s.done()
}

func gapCell(def *setting.Setting, c *gap.Cell) string {
	switch {
	case c.None:
		return ""
	case !c.Value.Known():
		return "not known"
	}
	text := def.Text(c.Value)
	if c.Mixed() {
		text += fmt.Sprintf(" (%d of %d)", c.Accounts, c.Of)
	}
	for _, m := range []struct {
		on   bool
		word string
	}{{c.Below, "below the rules"}, {c.Strictest, "strictest"}, {c.Loosest, "loosest"}, {c.Odd, "odd one out"}} {
		if m.on {
			text += ", " + m.word
		}
	}
	return text
}

func (b *book) accounts(r *finding.Result) {
	s := b.sheet("Accounts", column{"system", 14}, column{"account", 30}, column{"severity", 10}, column{"finding", 70},
		column{"detail", 24}, column{"rule", 28}, column{"fingerprint", 14}, column{"file", 36}, column{"line", 8})
	for i := range r.Findings {
		f := &r.Findings[i]
		for _, e := range f.Reach.Examples {
			from := e.Origin()
			s.add(f.System, e.Login, f.Severity.String(), f.Sentence, e.Detail(), f.Rule.String(), f.Fingerprint, from.File, line(from.Line))
		}
		if n := f.Reach.Accounts - len(f.Reach.Examples); n > 0 {
			s.add(f.System, fmt.Sprintf("… and %d more", n), f.Severity.String(), f.Sentence, "--examples takes more",
				f.Rule.String(), f.Fingerprint, "", "")
		}
	}
	s.done()
}

func (b *book) unknowns(r *finding.Result) {
	s := b.sheet("Unknowns", column{"system", 14}, column{"setting or fact", 22}, column{"accounts", 10},
		column{"asked by", 50}, column{"to know it", 70})
	for _, u := range r.Unknowns {
		s.add(u.System, u.Name(), u.Reach.Accounts, strings.Join(rules.Names(u.Rules), ", "), u.ToKnow)
	}
	s.done()
}

func (b *book) exceptions(r *finding.Result) {
	s := b.sheet("Exceptions", column{"until", 12}, column{"system", 14}, column{"what is accepted", 60},
		column{"because", 50}, column{"who answers", 24}, column{"rule", 28}, column{"accounts", 10},
		column{"fingerprint", 14})
	for i := range r.Accepted {
		f := &r.Accepted[i]
		s.add(dayOnly(f.Exception.Until), f.System, f.Sentence, f.Exception.Because, f.Exception.Owner, f.Rule.String(),
			f.Reach.Accounts, f.Fingerprint)
	}
	s.done()
}
