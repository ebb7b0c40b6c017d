package picture

import (
	"fmt"
	"image/color"
	"io"
	"slices"
	"time"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"yewcone/core/replay"
	"yewcone/core/rules"
	"yewcone/core/signin"
)

// mostHours is how long a record may be and still be drawn hour by hour.
const mostHours = 24 * 14

// order is in which order lines get their hands.
var order = []rules.Severity{rules.Critical, rules.Low, rules.High, rules.Medium}

// Replay draws sign-ins by the hour, or by the day where a record is long, and
// below them what lockouts would have locked. format is svg or png.
func Replay(w io.Writer, r *replay.Result, format string) error {
	step, name := time.Hour, "by the hour"
	if r.To.Sub(r.From) > mostHours*time.Hour {
		step, name = 24*time.Hour, "by the day"
	}
	slots := slotsOf(r, step)
	top, below := plot.New(), plot.New()
	top.Title.Text = fmt.Sprintf("%s: sign-ins %s (UTC)", r.System, name)
	if below.Title.Text = "Locks " + name; len(r.Columns) > len(order) {
		below.Title.Text += fmt.Sprintf(", of the first %d lockouts", len(order))
	}
	for _, p := range []*plot.Plot{top, below} {
		dress(p)
		p.X.Tick.Marker = plot.TimeTicks{Format: map[bool]string{true: "2006-01-02", false: "01-02 15:04"}[step > time.Hour], Ticker: slotTicks(slots, step)}
	}
	if err := steps(top, "wrong passwords", hands[rules.Critical], slots, step, func(h *signin.Hour) int { return h.Wrong }); err != nil {
		return err
	}
	if err := steps(top, "right passwords", hands[rules.Low], slots, step, func(h *signin.Hour) int { return h.Right }); err != nil {
		return err
	}
	for i := range r.Columns[:min(len(r.Columns), len(order))] {
		if err := steps(below, r.Columns[i].Title, hands[order[i]], slots, step, func(h *signin.Hour) int {
			if h.Locks == nil {
				return 0
			}
			return h.Locks[i]
		}); err != nil {
			return err
		}
	}
	top.Y.Max, below.Y.Max = max(4, top.Y.Max*1.4), max(2, below.Y.Max*1.4) // room for the legend
	below.Y.Tick.Marker = wholeTicks{}
	return render(w, format, top, below)
}

// slotsOf puts hours together, those without a sign-in too.
func slotsOf(r *replay.Result, step time.Duration) []signin.Hour {
	var list []signin.Hour
	for at := r.From.Truncate(step); !at.After(r.To); at = at.Add(step) {
		list = append(list, signin.Hour{Start: at.UnixMicro()})
	}
	for _, h := range r.Hours {
		i := int((h.Start - list[0].Start) / step.Microseconds())
		if i < 0 || i >= len(list) {
			continue
		}
		list[i].Wrong += h.Wrong
		list[i].Right += h.Right
		for n, locks := range h.Locks {
			if list[i].Locks == nil {
				list[i].Locks = make([]int, len(h.Locks))
			}
			list[i].Locks[n] += locks
		}
	}
	return list
}

func slotTicks(slots []signin.Hour, step time.Duration) plot.Ticker {
	every := 1 + (len(slots)-1)/10
	if step == time.Hour {
		for _, hours := range []int{1, 2, 3, 6, 12, 24, 48} {
			if every <= hours {
				every = hours
				break
			}
		}
	}
	var marks []plot.Tick
	for i, s := range slots {
		at := time.UnixMicro(s.Start).UTC()
		if i%every == 0 {
			marks = append(marks, plot.Tick{Value: float64(at.Unix()), Label: at.Format(time.DateTime)})
		}
	}
	return plot.ConstantTicks(marks)
}

// wholeTicks are marks at whole numbers.
type wholeTicks struct{}

// Ticks is of plot.Ticker.
func (wholeTicks) Ticks(low, high float64) []plot.Tick {
	return slices.DeleteFunc(plot.DefaultTicks{}.Ticks(low, high), func(t plot.Tick) bool { return t.Value != float64(int(t.Value)) })
}

// steps draws a number for each slot as an outline of bars.
func steps(p *plot.Plot, name string, h hand, slots []signin.Hour, step time.Duration, of func(*signin.Hour) int) error {
	var line plotter.XYs
	for i := range slots {
		from := float64(slots[i].Start / 1e6)
		n := float64(of(&slots[i]))
		line = append(line, plotter.XY{X: from, Y: n}, plotter.XY{X: from + step.Seconds(), Y: n})
	}
	l, err := plotter.NewLine(line)
	if err != nil {
		return fmt.Errorf("a picture of these numbers cannot be drawn: %w", err)
	}
	l.Color, l.Width, l.Dashes = h.color, 1.6, h.dashes
	p.Add(l)
	p.Legend.Add(name, l)
	return nil
}

// Border draws lockouts by how many people they lock and how many wrong
// passwords they let through, those on the border with a line, and the one in
// force.
func Border(w io.Writer, r *replay.Result, format string) error {
	p := plot.New()
	dress(p)
	p.Title.Text = r.System + ": people locked against guesses let through"
	p.X.Label.Text, p.Y.Label.Text = "people locked", "wrong passwords let through"
	p.X.Min = 0
	border := r.Border()
	var all, force plotter.XYs
	labels := plotter.XYLabels{}
	line := plotter.XYs{}
	for i := range r.Columns {
		c := &r.Columns[i]
		at := plotter.XY{X: float64(c.People), Y: float64(c.Through)}
		if i == 0 && c.NotKnown == 0 {
			force = append(force, at)
		} else if i > 0 && c.NotKnown == 0 && !c.Beyond {
			all = append(all, at)
		}
	}
	for _, i := range border {
		c := &r.Columns[i]
		at := plotter.XY{X: float64(c.People), Y: float64(c.Through)}
		line = append(line, at)
		labels.XYs, labels.Labels = append(labels.XYs, at), append(labels.Labels, "  "+c.Title)
	}
	add := func(name string, points plotter.XYs, as rules.Severity, radius vg.Length, shape draw.GlyphDrawer) error {
		if len(points) == 0 {
			return nil
		}
		s, err := plotter.NewScatter(points)
		if err != nil {
			return err
		}
		s.Color, s.Radius, s.Shape = hands[as].color, radius, shape
		p.Add(s)
		p.Legend.Add(name, s)
		return nil
	}
	if len(line) > 0 {
		l, err := plotter.NewLine(line)
		if err != nil {
			return err
		}
		l.Color, l.Width = color.RGBA{0x8f, 0x10, 0x24, 0xff}, 1.6
		names, err := plotter.NewLabels(labels)
		if err != nil {
			return err
		}
		for i := range names.TextStyle {
			names.TextStyle[i].Font.Size, names.TextStyle[i].Font.Variant = 11, "Sans"
		}
		p.Add(l, names)
	}
	for _, err := range []error{add("tried", all, rules.Low, 3, draw.CrossGlyph{}), add("on the border", line, rules.Critical, 4.5, draw.CircleGlyph{}),
		add("in force", force, rules.High, 5, draw.BoxGlyph{})} {
		if err != nil {
			return err
		}
	}
	p.X.Tick.Marker, p.X.Max = wholeTicks{}, max(1, p.X.Max)*1.35 // room for names
	p.Y.Max *= 1.15
	return render(w, format, p)
}
