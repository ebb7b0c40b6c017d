package html

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/setting"
	"yewcone/output"
)

// A chart is a drawing with its title, and in words for those who do not see
// it.
type chart struct {
	Title, Words string
	SVG          template.HTML
}

// drawing builds an SVG. Everything that is written into it is escaped.
type drawing struct {
	b             strings.Builder
	width, height int
}

func newDrawing(width, height int) *drawing { return &drawing{width: width, height: height} }

func (d *drawing) rect(class string, x, y, w, h float64, title string) {
	fmt.Fprintf(&d.b, `<rect class="%s" x="%.1f" y="%.1f" width="%.1f" height="%.1f"><title>%s</title></rect>`, class, x, y,
		math.Max(w, 0), math.Max(h, 0), template.HTMLEscapeString(title))
}

func (d *drawing) line(class string, x1, y1, x2, y2 float64) {
	fmt.Fprintf(&d.b, `<line class="%s" x1="%.1f" y1="%.1f" x2="%.1f" y2="%.1f"/>`, class, x1, y1, x2, y2)
}

func (d *drawing) text(class string, x, y float64, text string) {
	fmt.Fprintf(&d.b, `<text class="%s" x="%.1f" y="%.1f">%s</text>`, class, x, y, template.HTMLEscapeString(text))
}

func (d *drawing) done(title, words string) chart {
	svg := fmt.Sprintf(`<svg viewBox="0 0 %d %d" role="img" aria-label="%s">%s</svg>`, d.width, d.height,
		template.HTMLEscapeString(title+": "+words), d.b.String())
	return chart{title, words, template.HTML(svg)}
}

const (
	labelWidth = 110.0
	rowHeight  = 24.0
	chartWidth = 620
)

func (v *view) charts() {
	if len(v.Result.Findings) > 0 {
		v.Charts = append(v.Charts, bySeverity(v.Result))
	}
	if c, ok := ages(v.Result); ok {
		v.Charts = append(v.Charts, c)
	}
	if c, ok := endings(v.Result); ok {
		v.Charts = append(v.Charts, c)
	}
	if c, ok := guesses(v.Result); ok {
		v.Charts = append(v.Charts, c)
	}
}

// bySeverity draws a bar of findings for each system.
func bySeverity(r *finding.Result) chart {
	most := 1
	for i := range r.Systems {
		n := 0
		for _, c := range counts(r, r.Systems[i].Name) {
			n += c.N
		}
		most = max(most, n)
	}
	d := newDrawing(chartWidth, int(rowHeight)*len(r.Systems)+10)
	scale := (chartWidth - labelWidth - 50) / float64(most)
	for i := range r.Systems {
		y := float64(i) * rowHeight
		name := r.Systems[i].Name
		d.text("label", labelWidth-8, y+16, name)
		x, total := labelWidth, 0
		for _, c := range counts(r, name) {
			if c.N > 0 {
				d.rect("bar "+c.Name, x, y+4, float64(c.N)*scale-1, rowHeight-8, fmt.Sprintf("%s: %d %s", name, c.N, c.Name))
				x += float64(c.N) * scale
				total += c.N
			}
		}
		d.text("value", x+6, y+16, fmt.Sprint(total))
	}
	return d.done("Findings by system and severity",
		"from left to right critical, high, medium, low and info; the worst is "+r.WorstSystem())
}

// ages draws, for each system, how many passwords are how old, with the age at
// which they end for most people.
func ages(r *finding.Result) (chart, bool) {
	const top, small = 18.0, 74.0
	var with []int
	for i := range r.Systems {
		if s := r.Systems[i].Dates; s != nil && sum(s.Ages[:]) > 0 {
			with = append(with, i)
		}
	}
	if len(with) == 0 {
		return chart{}, false
	}
	columns := 2
	rows := (len(with) + columns - 1) / columns
	width := float64(chartWidth)/float64(columns) - 14
	d := newDrawing(chartWidth, rows*int(top+small+26))
	old := 0
	for n, i := range with {
		s := &r.Systems[i]
		x0, y0 := float64(n%columns)*(width+28), float64(n/columns)*(top+small+26)
		name := s.Name
		limit, limited := limitOf(r, i)
		if limited {
			name += fmt.Sprintf(", ends after %d days", limit)
		}
		d.text("title", x0, y0+12, name)
		most := 1
		for _, c := range s.Dates.Ages {
			most = max(most, c)
		}
		bar := width / float64(len(s.Dates.Ages))
		base := y0 + top + small
		for m, c := range s.Dates.Ages {
			if c == 0 {
				continue
			}
			h := math.Max(small*float64(c)/float64(most), 1.5)
			text := fmt.Sprintf("%s: %d passwords of %d to %d days", s.Name, c, m*30, m*30+29)
			if m == finding.AgeMonths {
				text = fmt.Sprintf("%s: %d passwords older than %d days", s.Name, c, m*30)
				old += c
			}
			d.rect("bar age", x0+float64(m)*bar, base-h, bar-1, h, text)
		}
		d.line("axis", x0, base, x0+width, base)
		for _, years := range []float64{0, 1, 2} {
			d.text("tick", x0+years*365/30*bar, base+12, fmt.Sprintf("%.0f y", years))
		}
		d.text("tick end", x0+width, base+12, "3 y +")
		if limited && limit <= finding.AgeMonths*30 {
			x := x0 + float64(limit)/30*bar
			d.line("limit", x, y0+top, x, base)
		}
	}
	return d.done("How old passwords are", fmt.Sprintf("months of 30 days from left to right, the last bar for all beyond "+
		"three years (%d accounts); the line is the age at which most people's passwords end", old)), true
}

func sum(list []int) int {
	n := 0
	for _, v := range list {
		n += v
	}
	return n
}

// limitOf is the largest age that holds for most people, in days.
func limitOf(r *finding.Result, system int) (int, bool) {
	if r.Gaps == nil {
		return 0, false
	}
	list := r.Gaps.Profiles[system].Held(gap.People, setting.MaxAge)
	if len(list) == 0 {
		return 0, false
	}
	span, ok := list[0].Value.Span()
	return int(span.Length() / 86400), ok
}

// endings draws when passwords end over the coming weeks.
func endings(r *finding.Result) (chart, bool) {
	const base, height, left = 150.0, 120.0, 44.0
	columns := make([]int, finding.ExpiryWeeks+1) // overdue first
	later, never, unknown := 0, 0, 0
	for i := range r.Systems {
		s := r.Systems[i].Dates
		if s == nil {
			continue
		}
		columns[0] += s.Overdue
		for w, n := range s.Weeks {
			columns[w+1] += n
		}
		later, never, unknown = later+s.Later, never+s.NeverEnds, unknown+s.ExpiryUnknown
	}
	if sum(columns) == 0 {
		return chart{}, false
	}
	most := 1
	for _, n := range columns {
		most = max(most, n)
	}
	d := newDrawing(chartWidth, int(base)+30)
	step := (chartWidth - left) / float64(len(columns))
	for i, n := range columns {
		class, label := "bar week", fmt.Sprintf("+%d w", i)
		if i == 0 {
			class, label = "bar critical", "overdue"
		}
		h := height * float64(n) / float64(most)
		x := left + float64(i)*step
		d.rect(class, x, base-h, step-6, h, fmt.Sprintf("%s: %d passwords", label, n))
		if n > 0 {
			d.text("count", x+(step-6)/2, base-h-4, fmt.Sprint(n))
		}
		d.text("tick middle", x+(step-6)/2, base+14, label)
	}
	d.line("axis", left, base, chartWidth, base)
	return d.done("Passwords that end in the coming weeks",
		fmt.Sprintf("%d are overdue, %d end within %d weeks, %d later, %d never, and of %d it is not known", columns[0],
			sum(columns[1:]), finding.ExpiryWeeks, later, never, unknown)), true
}

// guesses draws the guess budgets on a logarithmic axis.
func guesses(r *finding.Result) (chart, bool) {
	if r.Gaps == nil {
		return chart{}, false
	}
	type bar struct {
		name  string
		value float64
	}
	var bars []bar
	for i := range r.Gaps.Guesses {
		if g := &r.Gaps.Guesses[i]; g.Audience == gap.People && g.Known && g.LifeKnown {
			bars = append(bars, bar{g.System, g.OverLife()})
		}
	}
	if len(bars) == 0 {
		return chart{}, false
	}
	const decades = 9.0
	d := newDrawing(chartWidth, int(rowHeight)*len(bars)+34)
	scale := (chartWidth - labelWidth - 90) / decades
	base := rowHeight * float64(len(bars))
	for k := 0.0; k <= decades; k += 3 {
		x := labelWidth + k*scale
		d.line("grid", x, 0, x, base+4)
		d.text("tick", x, base+18, [...]string{"1", "1,000", "1 million", "1,000 million"}[int(k/3)])
	}
	unbounded := 0
	for i, b := range bars {
		y := float64(i) * rowHeight
		d.text("label", labelWidth-8, y+16, b.name)
		class, text, length := "bar guess", output.Count(b.value, true), decades
		switch {
		case math.IsInf(b.value, 1):
			class, text = "bar critical", "no bound"
			unbounded++
		default:
			length = math.Min(decades, math.Log10(math.Max(b.value, 1)))
		}
		d.rect(class, labelWidth, y+4, math.Max(length*scale, 1.5), rowHeight-8, b.name+": "+text)
		d.text("value", labelWidth+math.Max(length*scale, 1.5)+6, y+16, text)
	}
	return d.done("Guesses over a password's life (people)",
		fmt.Sprintf("on a logarithmic axis; %d of %d systems set no bound", unbounded, len(bars))), true
}
