// Package calendar writes what ends as an iCalendar file (RFC 5545).
package calendar

import (
	"io"
	"strings"
	"time"

	"github.com/emersion/go-ical"

	"yewcone/core/due"
	"yewcone/output"
)

// Due writes an event for each thing that ends, on its day. The UID is the same
// in each run, so that a calendar that takes the file again moves the event; the
// stamp is the moment that the exports speak for, so that the same exports give
// the same bytes.
func Due(w io.Writer, l *due.List, o output.Options) error {
	c := ical.NewCalendar()
	c.Props.SetText(ical.PropVersion, "2.0")
	c.Props.SetText(ical.PropProductID, "-//Yewcone//due//EN")
	for i := range l.Items {
		x := &l.Items[i]
		at, dated := x.At.Time()
		if !dated {
			continue
		}
		e := ical.NewEvent()
		e.Props.SetText(ical.PropUID, x.UID+"@yewcone")
		e.Props.SetDateTime(ical.PropDateTimeStamp, l.AsOf.UTC())
		if x.At.WholeDay() || x.What == due.Exception {
			e.Props.SetDate(ical.PropDateTimeStart, at.UTC())
		} else {
			e.Props.SetDateTime(ical.PropDateTimeStart, at.UTC())
		}
		e.Props.SetText(ical.PropSummary, x.Summary())
		e.Props.SetText(ical.PropDescription, description(x))
		e.Props.SetText(ical.PropCategories, x.What)
		c.Children = append(c.Children, e.Component)
	}
	if len(c.Children) == 0 { // a calendar without a component is none
		e := ical.NewEvent()
		e.Props.SetText(ical.PropUID, "nothing@yewcone")
		e.Props.SetDateTime(ical.PropDateTimeStamp, l.AsOf.UTC())
		e.Props.SetDate(ical.PropDateTimeStart, l.AsOf.UTC())
		e.Props.SetText(ical.PropSummary, "Nothing ends within "+l.Within.String()+" in "+l.Estate)
		c.Children = append(c.Children, e.Component)
	}
	return ical.NewEncoder(w).Encode(c)
}

func description(x *due.Item) string {
	var parts []string
	add := func(label, text string) {
		if text != "" && text != "unknown" {
			parts = append(parts, label+text)
		}
	}
	add("", x.Text)
	add("name: ", x.Name)
	add("warned from: ", moment(x.WarnedFrom.Time()))
	add("shut from: ", moment(x.ShutAt.Time()))
	add("answers: ", x.Owner)
	return strings.Join(parts, "\n")
}

func moment(t time.Time, dated bool) string {
	if !dated {
		return ""
	}
	return t.UTC().Format(time.DateOnly)
}
