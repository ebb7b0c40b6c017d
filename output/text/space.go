package text

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/password"
	"yewcone/core/setting"
	"yewcone/core/trial"
	"yewcone/output"
)

// Minted tells what the passwords of a mint are worth.
func Minted(w io.Writer, m *trial.Mint, anybody bool, o output.Options) error {
	p := newPage(w, o)
	var names []string
	for _, t := range m.Targets {
		if !t.OfRules() {
			names = append(names, seen(t.Name()))
		}
	}
	what := counted(m.Length, "character", "characters")
	if m.Phrase {
		what = counted(m.Length, "word", "words")
	}
	bits := fmt.Sprintf("%.1f bits", m.Bits)
	if !m.Exact {
		bits = "at most " + bits
	}
	text := what + ", " + bits + ", each as likely as any other that could have been made; for " + list(names) + "."
	if m.Short {
		text += " That is fewer bits than were asked for: the greatest length allows no more."
	}
	p.para("", faintStyle, text)
	for _, t := range m.Targets {
		switch {
		case t.OfRules() && t.Note != "":
			p.para("", badStyle, seen("This is less than is asked: "+t.Name()+" "+t.Note+", which cannot be met together with what the systems take."))
		case t.OfRules():
			p.para(
				"",
				faintStyle,
				seen("It meets "+t.Name()+" too ("+t.Asks()+")"+map[bool]string{true: ", as they are for people who are no administrators"}[anybody]+"."),
			)
		case t.Note != "":
			p.para("", faintStyle, seen(t.Name()+" "+t.Note+"."))
		}
		if open := m.Open(t); len(open) > 0 {
			p.para("", faintStyle, seen("Whether "+t.Name()+" takes it is no promise: the export does not say all of "+list(setting.NamesOf(open))+"."))
		}
	}
	return p.w.Flush()
}

// Space writes how many passwords targets leave, the fewest first.
func Space(w io.Writer, targets []*trial.Target, measures []password.Measure, o output.Options) error {
	p := newPage(w, o)
	order := make([]int, len(targets))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { // those that are not known last
		if measures[a].Open != measures[b].Open {
			return cmp.Compare(fmt.Sprint(measures[a].Open), fmt.Sprint(measures[b].Open))
		}
		return cmp.Compare(measures[a].AtLeast.Bits(), measures[b].AtLeast.Bits())
	})
	least := order[0]
	verdict := fmt.Sprintf("The fewest passwords are on %s: %s at %s.", seen(targets[least].Name()),
		bits(measures[least].AtLeast), counted(measures[least].Length, "character", "characters"))
	if measures[least].Open {
		verdict = "The least length is known of no policy, and so there is no figure."
	}
	if set := measures[least].Collide; len(set) > 0 {
		verdict = fmt.Sprintf("On %s no password is possible at all: %s.", seen(targets[least].Name()), password.Clash(set[0]))
	}
	p.para("", boldStyle, verdict)
	p.para("", faintStyle, "Bits for passwords of the least length, chosen at random over the 95 printable characters of a "+
		"keyboard. People do not choose at random: what they choose is worth less, however large the space.")
	p.blank()
	rows := [][]string{{"policy", "least length", "bits", "ceiling", "bits at the ceiling"}}
	for _, i := range order {
		m := &measures[i]
		row := []string{seen(targets[i].Name()), fmt.Sprint(m.Length), measured(m), "none", ""}
		switch {
		case len(m.Collide) > 0:
			row[1] = "none"
		case slices.Contains(m.Unknown, setting.MinLength):
			row[1] = "not known"
		case m.Length > m.Asked:
			row[1] = fmt.Sprintf("%d (asked: %d)", m.Length, m.Asked)
		}
		if m.Ceiling > 0 && len(m.Collide) == 0 {
			row[3], row[4] = fmt.Sprint(m.Ceiling), strings.TrimSuffix(bits(m.AtMost), " bits")
		} else if m.Ceiling > 0 {
			row[3] = fmt.Sprint(m.Ceiling)
		} else if slices.Contains(m.Unknown, setting.MaxLength) {
			row[3] = "not known"
		}
		rows = append(rows, row)
	}
	p.table("  ", rows, func(c int) bool { return c > 0 }, func(row, _ int, text string) string {
		if row == 0 {
			return p.paint(faintStyle, text)
		}
		return text
	})
	p.prices(targets, measures, order)
	return p.w.Flush()
}

// measured writes the figure of a measure without its unit.
func measured(m *password.Measure) string {
	if m.Open {
		return "not known"
	}
	return strings.TrimSuffix(bits(m.AtLeast), " bits")
}

func bits(s password.Space) string {
	switch {
	case s.None():
		return "none"
	case !s.Exact:
		return fmt.Sprintf("at most %.1f bits", s.Bits())
	}
	return fmt.Sprintf("%.1f bits", s.Bits())
}

// prices tells what the demands take away, where there are any.
func (p *page) prices(targets []*trial.Target, measures []password.Measure, order []int) {
	first := true
	for _, i := range order {
		if measures[i].Open {
			continue
		}
		var parts []string
		for _, price := range measures[i].Prices {
			def := setting.At(price.Setting)
			parts = append(parts, fmt.Sprintf("%s %s takes %.2f", price.Setting, def.Text(price.Value), max(0, -price.Bits)))
		}
		if len(parts) == 0 {
			continue
		}
		if first {
			first = false
			p.blank()
			p.para("", boldStyle, "What each demand takes away, in bits, at that length")
		}
		p.para("  "+padded(seen(targets[i].Name()), 22), plainStyle, strings.Join(parts, ", "))
	}
	if !first {
		p.para("", faintStyle, "A demand leaves fewer passwords to choose from; it is worth that where it keeps people from "+
			"the few that they would choose.")
	}
}

// Derived writes which settings tell examples apart.
func Derived(w io.Writer, d *trial.Derived, o output.Options) error {
	p := newPage(w, o)
	bad, good, today, wrong := 0, 0, 0, 0
	for _, e := range d.Examples {
		switch {
		case e.Good && e.Refused:
			wrong++
			good++
		case e.Good:
			good++
		case e.Refused:
			today++
			bad++
		default:
			bad++
		}
	}
	examples := counted(bad, "bad example", "bad examples") + " and " + counted(good, "good one", "good ones")
	name := seen(d.Target.System)
	if len(d.Derivation.Standing) > 0 {
		p.para("", boldStyle, fmt.Sprintf("%s: no settings tell %s apart; %s in the way.", name, examples,
			counted(len(d.Derivation.Standing), "example stands", "examples stand")))
		p.standing(d)
		return p.w.Flush()
	}
	if len(d.Derivation.Sets[0]) == 0 {
		p.para("", boldStyle, fmt.Sprintf("%s: there is nothing to refuse among %s.", name, examples))
		return p.w.Flush()
	}
	p.para("", boldStyle, fmt.Sprintf("%s: %s all %s, and %s the %s. Today's settings refuse %d of the bad and %d of the good.",
		name, counted(len(d.Derivation.Sets[0]), "setting refuses", "settings refuse"),
		counted(bad, "bad example", "bad examples"), plural(len(d.Derivation.Sets[0]), "accepts", "accept"), counted(good, "good one",
			"good ones"), today, wrong))
	for i, set := range d.Derivation.Sets {
		p.blank()
		if len(d.Derivation.Sets) > 1 {
			p.para("", boldStyle, fmt.Sprintf("Set %d", i+1))
		}
		rows := [][]string{{"setting", "value", "today", "refuses"}}
		for _, s := range set {
			def := setting.At(s.Setting)
			refuses := "examples " + numbers(s.Refuses)
			if len(s.Refuses) == 0 {
				refuses = "sees through substitutions, for the others"
			}
			rows = append(rows, []string{s.Setting.String(), def.Text(s.Value), def.Text(d.Target.Value(s.Setting)), refuses})
		}
		p.table("  ", rows, func(int) bool { return false }, func(row, _ int, text string) string {
			if row == 0 {
				return p.paint(faintStyle, text)
			}
			return text
		})
	}
	if d.Derivation.More {
		p.para("", faintStyle, "There are more sets of the same size.")
	}
	p.blank()
	p.examples(d)
	return p.w.Flush()
}

func numbers(places []int) string {
	var texts []string
	for _, n := range places {
		texts = append(texts, fmt.Sprint(n+1))
	}
	return strings.Join(texts, ", ")
}

// examples tells where the examples stand, and what becomes of them today.
func (p *page) examples(d *trial.Derived) {
	rows := [][]string{{"example", "", "place", "today"}}
	for i, e := range d.Examples {
		row := []string{fmt.Sprint(i + 1), "bad", seen(fmt.Sprintf("%s:%d", e.File, e.Line)), "not refused"}
		if e.Good {
			row[1] = "good"
		}
		if e.Refused {
			row[3] = "refused"
		}
		rows = append(rows, row)
	}
	p.table("  ", rows, func(int) bool { return false }, func(_, _ int, text string) string { return p.paint(faintStyle, text) })
}

// standing tells what is in the way.
func (p *page) standing(d *trial.Derived) {
	for _, s := range d.Derivation.Standing {
		e := d.Examples[s.Example]
		p.blank()
		p.para("", boldStyle, fmt.Sprintf("Bad example %d (%s:%d)", s.Example+1, seen(e.File), e.Line))
		if len(s.Would) == 0 {
			p.para("  ", plainStyle, "no setting that is known here would refuse it")
		}
		for _, would := range s.Would {
			def := setting.At(would.Switch.Setting)
			var but []string
			if len(would.Good) > 0 {
				but = append(but, plural(len(would.Good), "refuses the good example ",
					"refuses the good examples ")+numbers(would.Good)+" too")
			}
			if would.Beyond {
				but = append(but, "is beyond what the system can do")
			}
			p.para("  "+padded(would.Switch.Setting.String(), 22), plainStyle,
				def.Text(would.Switch.Value)+" would, but "+strings.Join(but, " and "))
		}
	}
	p.blank()
	p.examples(d)
}
