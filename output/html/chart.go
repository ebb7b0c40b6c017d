package html

import (
	"bytes"
	"fmt"
	"html/template"
	"image/color"
	"math"
	"regexp"
	"slices"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgsvg"

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

const (
	chartWidth vg.Length = 620 // in points, which the page scales
	rowHeight  vg.Length = 24
	fontSize   vg.Length = 12
)

func (v *view) charts() {
	if len(v.Result.Findings) > 0 {
		v.Charts = append(v.Charts, bySeverity(v.Result))
	}
	if c, ok := guesses(v.Result); ok {
		v.Charts = append(v.Charts, c)
	}
	if c, ok := ages(v.Result); ok {
		v.Charts = append(v.Charts, c)
	}
	if c, ok := endings(v.Result); ok {
		v.Charts = append(v.Charts, c)
	}
}

// An ink is a colour that the page may change with the reader's: the drawing
// holds the colour, the page the variable.
type ink struct {
	color    color.RGBA
	variable string
}

var (
	textInk = ink{color.RGBA{0x01, 0x01, 0x02, 0xff}, "var(--ink)"}
	lineInk = ink{color.RGBA{0x01, 0x01, 0x03, 0xff}, "var(--rule)"}
	barInk  = ink{color.RGBA{0x01, 0x01, 0x04, 0xff}, "var(--bar)"}

	severityInks = map[string]ink{
		"critical": {color.RGBA{0x01, 0x01, 0x05, 0xff}, "var(--chart-critical)"},
		"high":     {color.RGBA{0x01, 0x01, 0x06, 0xff}, "var(--chart-high)"},
		"medium":   {color.RGBA{0x01, 0x01, 0x07, 0xff}, "var(--chart-medium)"},
		"low":      {color.RGBA{0x01, 0x01, 0x08, 0xff}, "var(--chart-low)"},
		"info":     {color.RGBA{0x01, 0x01, 0x09, 0xff}, "var(--chart-info)"},
	}
)

var (
	svgStart = regexp.MustCompile(`(?s)^.*?<svg [^>]*viewBox="([^"]*)"[^>]*>`)
	svgFont  = regexp.MustCompile(`font-family:[^;"]*;`)
)

// newPlot returns a plot in the page's inks.
func newPlot() *plot.Plot {
	p := plot.New()
	p.BackgroundColor = color.Transparent
	for _, a := range []*plot.Axis{&p.X, &p.Y} {
		a.Color, a.Tick.Color = lineInk.color, lineInk.color
		a.Tick.Label.Color, a.Tick.Label.Font.Size = textInk.color, fontSize
		a.Padding, a.Tick.Length = 0, 0
	}
	p.Title.TextStyle.Color, p.Title.TextStyle.Font.Size = textInk.color, fontSize
	return p
}

// drawn puts drawings in rows and columns into one chart.
func drawn(title, words string, plots [][]*plot.Plot, height vg.Length) chart {
	canvas := vgsvg.New(chartWidth, height)
	tiles := draw.Tiles{Rows: len(plots), Cols: len(plots[0]), PadX: 24, PadY: 14, PadLeft: 8, PadRight: 12}
	for j, row := range plot.Align(plots, tiles, draw.New(canvas)) {
		for i, place := range row {
			if plots[j][i] != nil {
				plots[j][i].Draw(place)
			}
		}
	}
	var b bytes.Buffer
	_, _ = canvas.WriteTo(&b) // to memory
	svg := svgStart.ReplaceAllString(b.String(), `<svg viewBox="$1" role="img" aria-label="`+
		template.HTMLEscapeString(strings.ReplaceAll(title+": "+words, "$", ""))+`">`)
	svg = svgFont.ReplaceAllString(svg, "font-family:Arial,Liberation Sans,Helvetica,sans-serif;") // of the same widths
	inks := []ink{textInk, lineInk, barInk}
	for _, i := range severityInks {
		inks = append(inks, i)
	}
	for _, i := range inks {
		svg = strings.ReplaceAll(svg, fmt.Sprintf("#%02X%02X%02X", i.color.R, i.color.G, i.color.B), i.variable)
	}
	return chart{title, words, template.HTML(svg)}
}

// bars adds bars of one ink, and returns them so that others can stand on top.
func bars(p *plot.Plot, values plotter.Values, width vg.Length, i ink, flat bool, on *plotter.BarChart) *plotter.BarChart {
	b, err := plotter.NewBarChart(values, width)
	if err != nil {
		panic(err) // no values, or no number among them
	}
	b.Color, b.LineStyle.Width, b.Horizontal = i.color, 0, flat
	if on != nil {
		b.StackOn(on)
	}
	p.Add(b)
	return b
}

// note writes texts at points, moved by an offset.
func note(p *plot.Plot, points plotter.XYs, texts []string, offset vg.Point, align draw.XAlignment) {
	labels, err := plotter.NewLabels(plotter.XYLabels{XYs: points, Labels: texts})
	if err != nil {
		panic(err) // as many texts as points
	}
	labels.Offset = offset
	for i := range labels.TextStyle {
		labels.TextStyle[i].Color, labels.TextStyle[i].Font.Size, labels.TextStyle[i].XAlign = textInk.color, fontSize, align
	}
	p.Add(labels)
}

// nameRows writes names beside the rows. The page's letters may be wider than
// those that the drawing reckons with, so that there is some room.
func nameRows(p *plot.Plot, names []string) {
	p.NominalY(names...)
	p.Y.LineStyle.Width, p.Y.Padding = 0, 14
}

// fromTop turns a list round, since the first row of a plot is its lowest.
func fromTop[T any](list []T) []T {
	list = slices.Clone(list)
	slices.Reverse(list)
	return list
}

// bySeverity draws a bar of findings for each system.
func bySeverity(r *finding.Result) chart {
	p := newPlot()
	p.HideX()
	n := len(r.Systems)
	names, totals := make([]string, n), make(plotter.XYs, n)
	bySystem := map[string]plotter.Values{}
	var order []string
	for i := range r.Systems {
		row := n - 1 - i
		names[row] = r.Systems[i].Name
		totals[row].Y = float64(row)
		for _, c := range counts(r, r.Systems[i].Name) {
			if bySystem[c.Name] == nil {
				bySystem[c.Name] = make(plotter.Values, n)
				order = append(order, c.Name)
			}
			bySystem[c.Name][row] = float64(c.N)
			totals[row].X += float64(c.N)
		}
	}
	var last *plotter.BarChart
	for _, severity := range order {
		last = bars(p, bySystem[severity], rowHeight*0.66, severityInks[severity], true, last)
	}
	texts, most := make([]string, n), 0.0
	for i := range totals {
		texts[i] = fmt.Sprint(int(totals[i].X))
		most = max(most, totals[i].X)
	}
	note(p, totals, texts, vg.Point{X: 6, Y: -4}, draw.XLeft)
	nameRows(p, names)
	p.X.Min, p.X.Max = 0, most*1.08
	return drawn("Findings by system and severity", "from left to right critical, high, medium, low and info; the worst is "+
		r.WorstSystem(), [][]*plot.Plot{{p}}, rowHeight*vg.Length(n)+20)
}

// ages draws, for each system, how many passwords are how old, with the age at
// which they end for most people.
func ages(r *finding.Result) (chart, bool) {
	var plots [][]*plot.Plot
	old, n := 0, 0
	for i := range r.Systems {
		s := r.Systems[i].Spread
		if s == nil || sum(s.Ages[:]) == 0 {
			continue
		}
		old += s.Ages[finding.AgeMonths]
		if n%2 == 0 {
			plots = append(plots, make([]*plot.Plot, 2))
		}
		plots[n/2][n%2] = agesOf(r, i)
		n++
	}
	if n == 0 {
		return chart{}, false
	}
	return drawn("How old passwords are", fmt.Sprintf("months of 30 days from left to right, the last bar for all beyond "+
		"three years (%d accounts); the line is the age at which most people's passwords end", old), plots,
		vg.Length(len(plots))*118), true
}

func agesOf(r *finding.Result, system int) *plot.Plot {
	s := &r.Systems[system]
	p := newPlot()
	p.HideY()
	values, most := make(plotter.Values, len(s.Spread.Ages)), 1.0
	for m, c := range s.Spread.Ages {
		values[m] = float64(c)
		most = max(most, values[m])
	}
	for m := range values {
		if values[m] > 0 {
			values[m] = max(values[m], most/50) // so that one can be seen
		}
	}
	bars(p, values, 6, barInk, false, nil)
	p.X.Min, p.X.Max, p.Y.Min, p.Y.Max = -0.6, finding.AgeMonths+0.6, 0, most
	year := 365.0 / 30
	p.X.Tick.Marker = plot.ConstantTicks{{Value: -0.5, Label: "0"}, {Value: year - 0.5, Label: "1 y"},
		{Value: 2*year - 0.5, Label: "2 y"}, {Value: finding.AgeMonths, Label: "3 y +"}}
	p.Title.Text = s.Name
	if limit, limited := limitOf(r, system); limited {
		p.Title.Text += fmt.Sprintf(", ends after %d days", limit)
		if at := float64(limit)/30 - 0.5; limit <= finding.AgeMonths*30 {
			line, err := plotter.NewLine(plotter.XYs{{X: at, Y: 0}, {X: at, Y: most}})
			if err != nil {
				panic(err) // two points
			}
			line.Color, line.Width, line.Dashes = severityInks["critical"].color, 1.5, []vg.Length{4, 3}
			p.Add(line)
		}
	}
	return p
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
	columns := make([]int, finding.ExpiryWeeks+1) // overdue first
	later, never, unknown := 0, 0, 0
	for i := range r.Systems {
		s := r.Systems[i].Spread
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
	p := newPlot()
	p.HideY()
	overdue, weeks := make(plotter.Values, len(columns)), make(plotter.Values, len(columns))
	points, texts, names, most := make(plotter.XYs, len(columns)), make([]string, len(columns)), make([]string, len(columns)), 1
	for i, n := range columns {
		weeks[i], names[i] = float64(n), fmt.Sprintf("+%d w", i)
		points[i] = plotter.XY{X: float64(i), Y: float64(n)}
		if n > 0 {
			texts[i] = fmt.Sprint(n)
		}
		most = max(most, n)
	}
	overdue[0], weeks[0], names[0] = weeks[0], 0, "overdue"
	bars(p, overdue, 36, severityInks["critical"], false, nil)
	bars(p, weeks, 36, barInk, false, nil)
	note(p, points, texts, vg.Point{Y: 4}, draw.XCenter)
	p.NominalX(names...)
	p.Y.Min, p.Y.Max = 0, float64(most)*1.15
	return drawn("Passwords that end in the coming weeks",
		fmt.Sprintf("%d are overdue, %d end within %d weeks, %d later, %d never, and of %d it is not known", columns[0],
			sum(columns[1:]), finding.ExpiryWeeks, later, never, unknown), [][]*plot.Plot{{p}}, 180), true
}

// guesses draws the guess budgets on a logarithmic axis.
func guesses(r *finding.Result) (chart, bool) {
	if r.Gaps == nil {
		return chart{}, false
	}
	var names, texts []string
	var budgets []float64
	unbounded := 0
	for i := range r.Gaps.Guesses {
		g := &r.Gaps.Guesses[i]
		if g.Audience != gap.People || !g.Known || !g.LifeKnown {
			continue
		}
		text := output.Count(g.OverLife(), true)
		if math.IsInf(g.OverLife(), 1) {
			text = "no bound"
			unbounded++
		}
		names, texts, budgets = append(names, g.System), append(texts, text), append(budgets, g.OverLife())
	}
	if len(names) == 0 {
		return chart{}, false
	}
	const decades = 9.0
	names, texts, budgets = fromTop(names), fromTop(texts), fromTop(budgets)
	bounded, boundless, points := make(plotter.Values, len(names)), make(plotter.Values, len(names)), make(plotter.XYs, len(names))
	for i, budget := range budgets {
		length := max(min(decades, math.Log10(max(budget, 1))), 0.02)
		points[i] = plotter.XY{X: length, Y: float64(i)}
		if bounded[i] = length; math.IsInf(budget, 1) {
			bounded[i], boundless[i] = 0, length
		}
	}
	p := newPlot()
	grid := plotter.NewGrid()
	grid.Horizontal.Width, grid.Vertical.Color = 0, lineInk.color
	p.Add(grid)
	bars(p, bounded, rowHeight*0.66, barInk, true, nil)
	bars(p, boundless, rowHeight*0.66, severityInks["critical"], true, nil)
	note(p, points, texts, vg.Point{X: 6, Y: -4}, draw.XLeft)
	nameRows(p, names)
	p.X.Min, p.X.Max = 0, decades*1.2
	p.X.Tick.Marker = plot.ConstantTicks{{Value: 0, Label: "1"}, {Value: 3, Label: "1,000"}, {Value: 6, Label: "1 million"},
		{Value: 9, Label: "1,000 million"}}
	return drawn("Guesses over a password's life (people)",
		fmt.Sprintf("on a logarithmic axis; %d of %d systems set no bound", unbounded, len(names)), [][]*plot.Plot{{p}},
		rowHeight*vg.Length(len(names))+34), true
}
