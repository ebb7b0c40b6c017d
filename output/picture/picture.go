package picture

import (
	"image/color"
	"io"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"
)

// dress gives a plot the sizes and letters that all have.
func dress(p *plot.Plot) {
	p.Title.TextStyle.Font.Size, p.Title.Padding = 15, 8
	p.X.Tick.Label.Font.Size, p.Y.Tick.Label.Font.Size, p.Legend.TextStyle.Font.Size = 11, 11, 12
	p.X.Label.TextStyle.Font.Size, p.Y.Label.TextStyle.Font.Size = 12, 12
	for _, f := range []*font.Font{&p.Title.TextStyle.Font, &p.X.Tick.Label.Font, &p.Y.Tick.Label.Font, &p.Legend.TextStyle.Font,
		&p.X.Label.TextStyle.Font, &p.Y.Label.TextStyle.Font} {
		f.Variant = "Sans"
	}
	p.Y.Min, p.Legend.Top, p.Legend.Padding = 0, true, 4
	p.Add(plotter.NewGrid())
}

// render draws plots one below the other. format is svg or png.
func render(w io.Writer, format string, list ...*plot.Plot) error {
	var canvas interface {
		vg.CanvasSizer
		io.WriterTo
	}
	if format == "png" {
		canvas = vgimg.PngCanvas{Canvas: vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(96), vgimg.UseBackgroundColor(color.White))}
	} else {
		canvas = vgsvg.New(width, height)
	}
	whole := draw.New(canvas)
	if format != "png" {
		whole.SetColor(color.White)
		whole.Fill(whole.Rectangle.Path())
	}
	var plots [][]*plot.Plot
	for _, p := range list {
		plots = append(plots, []*plot.Plot{p})
	}
	tiles := draw.Tiles{Rows: len(list), Cols: 1, PadX: 10, PadY: 18, PadLeft: 14, PadRight: 24, PadTop: 10, PadBottom: 10}
	for i, row := range plot.Align(plots, tiles, whole) {
		plots[i][0].Draw(row[0])
	}
	_, err := canvas.WriteTo(w)
	return err
}
