// Package picture draws results over time, for print and for readers who see
// no colours: lines differ by dashes and marks too.
package picture

import (
	"fmt"
	"image/color"
	"io"
	"math"
	"time"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"yewcone/core/rules"
	"yewcone/core/trend"
)

// The size of a picture: 1280 by 800 dots at 96 to the inch.
const (
	width, height = 1280 * vg.Inch / 96, 800 * vg.Inch / 96
)

// a hand is how one line is drawn.
type hand struct {
	color  color.RGBA
	dashes []vg.Length
	glyph  draw.GlyphDrawer
}

var hands = map[rules.Severity]hand{
	rules.Critical: {color.RGBA{0x8f, 0x10, 0x24, 0xff}, nil, draw.CircleGlyph{}},
	rules.High:     {color.RGBA{0xc2, 0x5a, 0x12, 0xff}, []vg.Length{8, 4}, draw.BoxGlyph{}},
	rules.Medium:   {color.RGBA{0x8a, 0x6a, 0x00, 0xff}, []vg.Length{3, 3}, draw.TriangleGlyph{}},
	rules.Low:      {color.RGBA{0x2b, 0x72, 0x96, 0xff}, []vg.Length{10, 3, 2, 3}, draw.CrossGlyph{}},
}

// Trend draws findings by severity over time, and below the share of clauses
// that are met. format is svg or png.
func Trend(w io.Writer, t *trend.Trend, estate, format string) error {
	top, below := plot.New(), plot.New()
	top.Title.Text = estate + ": findings over time"
	below.Title.Text = "In per cent"
	for _, p := range []*plot.Plot{top, below} {
		dress(p)
		p.X.Tick.Marker = plot.TimeTicks{Format: "2006-01-02", Ticker: ticks(t)}
	}
	for _, severity := range []rules.Severity{rules.Critical, rules.High, rules.Medium, rules.Low} {
		if err := line(top, t, severity.String(), hands[severity], func(s *trend.Sum) float64 { return float64(s.Counts[severity]) }); err != nil {
			return err
		}
	}
	for _, share := range []struct {
		name string
		as   rules.Severity
		of   func(*trend.Sum) (n, of int)
	}{
		{"clauses met", rules.Low, func(s *trend.Sum) (int, int) { return s.Met, s.Clauses }},
		{"accounts with a second factor", rules.Medium, func(s *trend.Sum) (int, int) { return s.Measures.Factor, s.Measures.FactorKnown }},
		{"passwords older than a year", rules.Critical, func(s *trend.Sum) (int, int) { return s.Measures.Old, s.Measures.AgeKnown }},
		{"accounts that break " + t.Rule, rules.High, func(s *trend.Sum) (int, int) {
			if s.Breaking == nil {
				return 0, 0
			}
			return min(*s.Breaking, s.Accounts), s.Accounts
		}},
	} {
		if err := line(below, t, share.name, hands[share.as], func(s *trend.Sum) float64 {
			n, of := share.of(s)
			if of == 0 {
				return math.NaN()
			}
			return 100 * float64(n) / float64(of)
		}); err != nil {
			return err
		}
	}
	below.Y.Max = 150 // room for the legend
	below.Y.Tick.Marker = plot.ConstantTicks([]plot.Tick{{Value: 0, Label: "0"}, {Value: 25, Label: "25"}, {Value: 50, Label: "50"}, {Value: 75, Label: "75"},
		{Value: 100, Label: "100"}})
	top.Y.Max *= 1.5
	if err := breaks(top, below, t); err != nil {
		return err
	}
	return render(w, format, top, below)
}

// breaks draws an upright line where other rules came into force.
func breaks(top, below *plot.Plot, t *trend.Trend) error {
	named := false
	for _, b := range t.Breaks() {
		if len(b.Rules) == 0 {
			continue
		}
		at := float64(t.AsOf[b.At].Unix())
		for _, p := range []*plot.Plot{top, below} {
			l, err := plotter.NewLine(plotter.XYs{{X: at, Y: 0}, {X: at, Y: p.Y.Max / 1.5}})
			if err != nil {
				return fmt.Errorf("a picture of these numbers cannot be drawn: %w", err)
			}
			l.Width, l.Dashes = 1.2, []vg.Length{2, 4}
			if p.Add(l); p == top && !named {
				p.Legend.Add("other rules from here on", l)
				named = true
			}
		}
	}
	return nil
}

// ticks are the moments of the results, or some of them.
func ticks(t *trend.Trend) plot.Ticker {
	var marks []plot.Tick
	step := 1 + (len(t.AsOf)-1)/10
	for i, at := range t.AsOf {
		if i%step == 0 || i == len(t.AsOf)-1 {
			marks = append(marks, plot.Tick{Value: float64(at.Unix()), Label: at.Format(time.DateOnly)})
		}
	}
	return plot.ConstantTicks(marks)
}

// mostMarks is about how many marks a line has, so that they stay apart.
const mostMarks = 24

// line draws a row of sums in pieces, broken where there is a gap. A piece has
// marks at its ends and on every so many results between.
func line(p *plot.Plot, t *trend.Trend, name string, h hand, value func(*trend.Sum) float64) error {
	var piece, marks plotter.XYs
	shown, step := false, 1+(len(t.AsOf)-1)/mostMarks
	end := func() error {
		if len(piece) == 0 {
			return nil
		}
		l, err := plotter.NewLine(piece)
		if err != nil {
			return fmt.Errorf("a picture of these numbers cannot be drawn: %w", err)
		}
		if last := piece[len(piece)-1]; marks[len(marks)-1] != last {
			marks = append(marks, last)
		}
		points, err := plotter.NewScatter(marks)
		if err != nil {
			return fmt.Errorf("a picture of these numbers cannot be drawn: %w", err)
		}
		l.Color, l.Width, l.Dashes = h.color, 2, h.dashes
		points.Color, points.Radius, points.Shape = h.color, 3.5, h.glyph
		p.Add(l, points)
		if !shown {
			p.Legend.Add(name, l, points)
			shown = true
		}
		piece, marks = nil, nil
		return nil
	}
	for i, s := range t.All {
		if s == nil || math.IsNaN(value(s)) {
			if err := end(); err != nil {
				return err
			}
			continue
		}
		at := plotter.XY{X: float64(t.AsOf[i].Unix()), Y: value(s)}
		if piece = append(piece, at); len(piece) == 1 || i%step == 0 {
			marks = append(marks, at)
		}
	}
	return end()
}
