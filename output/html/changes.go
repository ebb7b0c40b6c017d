package html

import (
	"bytes"
	"encoding/base64"
	"html/template"
	"io"
	"strings"
	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/output"
	"yewcone/output/picture"
)

// Drift writes a page of what changed between two results.
func Drift(w io.Writer, d *drift.Drift, o output.Options) error {
	v := &view{Result: &finding.Result{Estate: d.After.Estate}, Style: template.CSS(style), Version: o.Version}
	o.Drift, o.Since = d, "the earlier result"
	if err := v.changes(o); err != nil {
		return err
	}
	return page().ExecuteTemplate(w, "drift", v)
}

// changes puts what became of the findings since an earlier result into groups.
func (v *view) changes(o output.Options) error {
	if v.Drift, v.Since = o.Drift, o.Since; o.Drift == nil {
		return nil
	}
	if o.Trend != nil && len(o.Trend.Results) > 1 {
		var b bytes.Buffer
		if err := picture.Trend(&b, o.Trend, v.Result.Estate, "svg"); err != nil {
			return err
		}
		v.Trend = template.URL("data:image/svg+xml;base64," + base64.StdEncoding.EncodeToString(b.Bytes()))
		v.Kept = len(o.Trend.Results)
	}
	for i := range o.Drift.Accounts {
		a := &o.Drift.Accounts[i]
		for _, l := range a.Lists() {
			shown := l.Names[:min(mostNames, len(l.Names))]
			v.Names = append(v.Names, nameGroup{a.System, l.What, shown, len(l.Names), len(l.Names) - len(shown)})
		}
	}
	for _, s := range drift.States {
		if list := o.Drift.In(s); len(list) > 0 && s.Told() {
			shown := list[:min(mostChanges, len(list))]
			v.Changes = append(v.Changes, changeGroup{strings.ToUpper(string(s)[:1]) + string(s)[1:], s.Bad(), shown, len(list) - len(shown)})
		}
	}
	return nil
}
