package text

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/finding"
	"yewcone/core/remedy"
	"yewcone/core/setting"
	"yewcone/output"
)

// Remedy writes changes in the words of their systems: what to type, and where.
func Remedy(w io.Writer, r *finding.Result, list []remedy.Told, undo bool, o output.Options) error {
	p := newPage(w, o)
	switch {
	case len(list) == 0:
		p.para("", boldStyle, "Nothing that was found asks for a change.")
	case undo:
		p.para("", boldStyle, "The way back to what the exports say. Nothing was run.")
	default:
		p.para("", boldStyle, "What to type where, the most worthwhile first. Nothing was run; --undo prints the way back.")
	}
	for i := range list {
		p.told(r, &list[i], i+1, undo)
	}
	return p.w.Flush()
}

func (p *page) told(r *finding.Result, t *remedy.Told, number int, undo bool) {
	if undo && len(t.Blocks) == 0 && !slices.ContainsFunc(t.Done, func(d remedy.Done) bool { return len(d.Typed) > 0 }) {
		return
	}
	p.blank()
	p.change(r, &t.Change, number, false)
	indent := strings.Repeat(" ", numberWidth)
	for _, first := range t.First {
		if !undo {
			p.para(indent+"first   ", plainStyle, seen(first))
		}
	}
	for i := range t.Blocks {
		p.block(indent, &t.Blocks[i], undo)
	}
	for i := range t.Done {
		p.done(indent, &t.Done[i], undo)
	}
	if undo {
		return
	}
	for i, c := range t.Cannot {
		if slices.ContainsFunc(t.Cannot[:i], func(o remedy.Cannot) bool { return o.Why == c.Why }) {
			continue
		}
		var what []string
		for _, o := range t.Cannot[i:] {
			if def := setting.At(o.Setting); o.Why == c.Why {
				what = append(what, fmt.Sprintf("%s %s in %s", def.Name, def.Text(o.To), o.Policy))
			}
		}
		p.para(indent+"cannot  ", oddStyle, seen(strings.Join(what, ", ")+": "+c.Why))
	}
}

// done writes what is to be done to accounts, and what is typed for each.
func (p *page) done(indent string, d *remedy.Done, undo bool) {
	if !undo {
		text := seen(d.Do)
		if d.Reach.Accounts > 0 {
			text += ": "
			if d.AtLeast {
				text += "at least "
			}
			text += reached(&d.Reach, 5)
		}
		p.para(indent+"do      ", plainStyle, text)
	}
	for i := range d.Typed {
		typed := &d.Typed[i]
		does := "to " + string(typed.Act)
		if undo {
			does = "to undo \"" + string(typed.Act) + "\""
		}
		if typed.Accounts < d.Reach.Accounts {
			does += fmt.Sprintf(", %d of %d accounts", typed.Accounts, d.Reach.Accounts)
			if len(d.Reach.Examples) < d.Reach.Accounts {
				does += " (--accounts 0 writes all)"
			}
		}
		block := typed.Block
		block.Where = does + ": " + block.Where
		p.block(indent, &block, undo)
	}
}

// block writes what to type in one place, each line as it is typed.
func (p *page) block(indent string, b *remedy.Block, undo bool) {
	p.para(indent, boldStyle, seen(b.Where)+":")
	for _, l := range b.Lines {
		if l == "" {
			p.blank()
			continue
		}
		_, _ = p.w.WriteString(indent + "  " + typed(l) + "\n")
	}
	for _, e := range b.Edits {
		place := e.File
		if e.Line > 0 {
			place += fmt.Sprintf(":%d", e.Line)
		}
		switch {
		case b.Language == remedy.Words:
			p.para(indent+"  ", plainStyle, fmt.Sprintf("%s: %s → %s  (%s)", seen(e.Place), quotedOr(e.Before, "nothing"), quotedOr(e.After, "nothing"),
				seen(place)))
		case e.Before == "":
			_, _ = p.w.WriteString(indent + "  " + seen(place) + ", a line more:\n" + indent + "    + " + typed(e.After) + "\n")
		case e.After == "":
			_, _ = p.w.WriteString(indent + "  " + seen(place) + ", without the line:\n" + indent + "    - " + typed(e.Before) + "\n")
		default:
			_, _ = p.w.WriteString(indent + "  " + seen(place) + "\n" + indent + "    - " + typed(e.Before) + "\n" + indent + "    + " + typed(e.After) + "\n")
		}
	}
	for _, n := range b.Notes {
		if !undo {
			p.para(indent+"note    ", plainStyle, seen(n))
		}
	}
}

func quotedOr(text, nothing string) string {
	if text == "" {
		return nothing
	}
	return "\"" + seen(text) + "\""
}

// typed is a line as it stands in a file; a tab is shown as blanks.
func typed(line string) string { return seen(strings.ReplaceAll(line, "\t", "    ")) }
