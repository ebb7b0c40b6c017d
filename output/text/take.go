package text

import (
	"fmt"
	"io"
	"strings"
	"time"

	"yewcone/intake"
	"yewcone/output"
)

// A Taking is one system that is asked, and what came of it.
type Taking struct {
	System string
	Folder string // of the estate
	Source *intake.Source
	Asks   []string  // what is asked
	Before time.Time // when the export that is there was taken; zero where that is not known
	There  bool      // there is one
	Taken  intake.Taken
	Err    error
	Took   time.Duration
}

// where is the source in words.
func (t *Taking) where() string {
	s := t.Source
	switch {
	case s.Ask == "host":
		return "this host"
	case s.Ask == "command":
		return strings.Join(s.Command, " ")
	}
	return s.Address
}

// Taken tells what became of each system.
func Taken(w io.Writer, list []Taking, o output.Options) error {
	p := newPage(w, o)
	failed := 0
	for i := range list {
		if list[i].Err != nil {
			failed++
		}
	}
	head := counted(len(list), "system was taken", "systems were taken")
	if failed > 0 {
		head = fmt.Sprintf("%d of %s", len(list)-failed, head)
	}
	p.para("", boldStyle, head+".")
	for i := range list {
		t := &list[i]
		p.blank()
		p.para("", boldStyle, seen(t.System))
		if t.Err != nil {
			p.para("  ", plainStyle, "not taken: "+seen(t.Err.Error())+"; "+t.stays())
			continue
		}
		as := ""
		if t.Taken.As != "" {
			as = " as " + t.Taken.As
		}
		p.para("  ", plainStyle, seen(fmt.Sprintf("%s from %s%s in %s, now in %s", counted(t.Taken.Rows, t.unit(), t.unit()+"s"), t.where(), as,
			t.Took.Round(10*time.Millisecond), strings.Join(t.Source.Files, " and "))))
	}
	return p.w.Flush()
}

// unit is what is counted of a source.
func (t *Taking) unit() string {
	switch t.Source.Ask {
	case "host":
		return "file"
	case "command":
		return "line"
	}
	return "row"
}

// stays is what there is of a system that was not taken.
func (t *Taking) stays() string {
	switch {
	case !t.Before.IsZero():
		return "the export taken on " + t.Before.UTC().Format("2006-01-02 at 15:04") + " stays"
	case t.There:
		return "the former export stays"
	}
	return "there is no export of it"
}

// Asks tells what would be asked.
func Asks(w io.Writer, list []Taking, o output.Options) error {
	p := newPage(w, o)
	p.para("", boldStyle, counted(len(list), "system", "systems")+" would be asked; nothing was.")
	for i := range list {
		t := &list[i]
		s := t.Source
		p.blank()
		p.para("", boldStyle, seen(t.System))
		who := ""
		switch {
		case s.External:
			who = ", as whom the connection is"
		case s.User != "":
			who = ", as " + s.User + " with " + s.Secret.String()
		case s.Secret != nil:
			who = ", with " + s.Secret.String()
		}
		p.para("  ", plainStyle, seen(s.Ask+": "+t.where()+who))
		for _, ask := range t.Asks {
			p.para("  - ", plainStyle, seen(ask))
		}
	}
	return p.w.Flush()
}
