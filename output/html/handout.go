package html

import (
	_ "embed"
	"html/template"
	"io"

	"yewcone/core/handout"
	"yewcone/output"
)

//go:embed handout.tmpl
var handoutSource string

var handoutPage = with(handoutSource)

// Handout writes a page of what rules ask in plain words.
func Handout(w io.Writer, h *handout.Handout, _ output.Options) error {
	return handoutPage().ExecuteTemplate(w, "handout", struct {
		Estate  string
		Style   template.CSS
		Handout *handout.Handout
	}{h.Estate, template.CSS(style), h})
}
