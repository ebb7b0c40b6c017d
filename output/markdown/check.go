package markdown

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/output"
)

// Check writes the result as a document: the verdict, a table of systems, the
// findings by severity, what is not known, and exceptions.
func Check(w io.Writer, r *finding.Result, o output.Options) error {
	b := bufio.NewWriter(w)
	fmt.Fprintf(b, "# Password settings of %s\n\n", safe(r.Estate))
	if r.Partial() {
		fmt.Fprintf(b, "**Partial:** not everything could be read. What follows is true of what was.\n\n")
	}
	counts := r.CountBySeverity("")
	var parts []string
	for _, s := range rules.Severities {
		parts = append(parts, fmt.Sprintf("%d %s", counts[s], s))
	}
	fmt.Fprintf(b, "Findings: %s.", strings.Join(parts, ", "))
	if worst := r.WorstSystem(); worst != "" {
		fmt.Fprintf(b, " The worst system is %s.", safe(worst))
	}
	fmt.Fprintf(b, "\n\n| system | as of (UTC) | accounts | critical | high | medium | low | info | clauses met "+
		"|\n|---|---|---:|---:|---:|---:|---:|---:|---|\n")
	for i := range r.Systems {
		s := &r.Systems[i]
		counts := r.CountBySeverity(s.Name)
		asOf := "not known"
		if !s.AsOf.IsZero() {
			asOf = s.AsOf.UTC().Format("2006-01-02 15:04")
		}
		fmt.Fprintf(b, "| %s | %s | %d |", safe(s.Name), asOf, s.Accounts)
		for _, severity := range rules.Severities {
			fmt.Fprintf(b, " %d |", counts[severity])
		}
		fmt.Fprintf(b, " %s |\n", s.ClausesMet())
	}
	changes(b, o)
	for _, severity := range rules.Severities {
		first := true
		for i := range r.Findings {
			if f := &r.Findings[i]; f.Severity == severity {
				if first {
					first = false
					fmt.Fprintf(b, "\n## %s\n\n", strings.ToUpper(severity.String()[:1])+severity.String()[1:])
				}
				writeFinding(b, f)
			}
		}
	}
	if len(r.Unknowns) > 0 {
		fmt.Fprintf(b, "\n## Not known, and so neither met nor broken\n\n| system | what | accounts | asked by | to know it "+
			"|\n|---|---|---:|---|---|\n")
		for _, u := range r.Unknowns {
			fmt.Fprintf(b, "| %s | %s | %d | %s | %s |\n", safe(u.System), safe(u.Name()), u.Reach.Accounts,
				safe(strings.Join(rules.Names(u.Rules), ", ")), safe(u.ToKnow))
		}
	}
	if len(r.Accepted) > 0 {
		fmt.Fprintf(b, "\n## Exceptions\n\n")
		for i := range r.Accepted {
			f := &r.Accepted[i]
			fmt.Fprintf(b, "- until %s: **%s**: %s, because %s (%s; `%s`)\n", f.Exception.Until.Format("2006-01-02"),
				safe(f.System), safe(f.Sentence), safe(f.Exception.Because), safe(f.Exception.Owner), f.Fingerprint)
		}
	}
	return b.Flush()
}

// Drift writes what changed between two results.
func Drift(w io.Writer, d *drift.Drift, o output.Options) error {
	b := bufio.NewWriter(w)
	fmt.Fprintf(b, "# %s\n", safe(d.After.Estate))
	o.Drift, o.Since = d, d.Before.AsOf.UTC().Format("2006-01-02 15:04")
	changes(b, o)
	return b.Flush()
}

func changes(b *bufio.Writer, o output.Options) {
	d := o.Drift
	if d == nil {
		return
	}
	fmt.Fprintf(b, "\n## What changed\n\nSince %s: %s.\n", safe(o.Since), d.Sum())
	for i := range d.Values {
		fmt.Fprintf(b, "- %s\n", safe(d.Values[i].Words()))
	}
	if n := len(d.NotYet); n > 0 {
		fmt.Fprintf(b, "- values that were asked for then, and are not so yet: %d\n", n)
	}
	for i := range d.Accounts {
		for _, l := range d.Accounts[i].Lists() {
			fmt.Fprintf(b, "- %s: %d %s: %s\n", safe(d.Accounts[i].System), len(l.Names), l.What, safe(strings.Join(l.Names, ", ")))
		}
	}
	for _, s := range drift.States {
		if !s.Told() {
			continue
		}
		for _, f := range d.In(s) {
			x := f.At()
			fmt.Fprintf(b, "- %s: **%s**: %s (`%s`)", s, safe(x.System), safe(x.Sentence), safe(x.Fingerprint))
			if notes := f.Notes(); len(notes) > 0 {
				fmt.Fprintf(b, ": %s", safe(strings.Join(notes, "; ")))
			}
			fmt.Fprintln(b)
		}
	}
}

func writeFinding(b *bufio.Writer, f *finding.Finding) {
	fmt.Fprintf(b, "- **%s**: %s", safe(f.System), safe(f.Sentence))
	if f.Reach.Accounts > 0 {
		fmt.Fprintf(b, "; accounts: %d", f.Reach.Accounts)
		if f.Reach.Privileged > 0 {
			fmt.Fprintf(b, ", %d privileged", f.Reach.Privileged)
		}
		var names []string
		for _, e := range f.Reach.Examples[:min(5, len(f.Reach.Examples))] {
			names = append(names, safe(e.Login))
		}
		if len(names) > 0 {
			fmt.Fprintf(b, " (%s", strings.Join(names, ", "))
			if f.Reach.Accounts > len(names) {
				fmt.Fprint(b, " …")
			}
			fmt.Fprint(b, ")")
		}
	}
	if f.Origin.Known() {
		fmt.Fprintf(b, "; %s %s", safe(f.Origin.String()), safe(f.Origin.Text))
	}
	fmt.Fprintf(b, "; to mend: %s (%s, `%s`)\n", safe(f.Remedy), safe(f.Rule.String()), f.Fingerprint)
}
