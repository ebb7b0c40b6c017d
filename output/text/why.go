package text

import (
	"fmt"
	"io"
	"strings"

	"charm.land/lipgloss/v2"

	"yewcone/core/explain"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/output"
)

var outcomeStyles = map[string]lipgloss.Style{
	finding.Broken: lipgloss.NewStyle().Foreground(lipgloss.Color("9")),
	finding.Open:   lipgloss.NewStyle().Foreground(lipgloss.Color("11")),
	finding.Met:    lipgloss.NewStyle().Foreground(lipgloss.Color("10")),
}

// Why explains an account; only one setting where its name is given.
func Why(w io.Writer, x *explain.Explanation, only string, o output.Options) error {
	p := newPage(w, o)
	p.who(x)
	if only != "" {
		for i := range x.Settings {
			if s := &x.Settings[i]; s.Name == only {
				p.blank()
				p.trail(s)
			}
		}
		return p.w.Flush()
	}
	p.dates(x)
	p.holding(x)
	p.outcomes(x)
	return p.w.Flush()
}

// who says which account it is, in one sentence.
func (p *page) who(x *explain.Explanation) {
	a := &x.Account
	parts := []string{}
	say := func(t facts.Tri, yes, no, unknown string) {
		if text := [...]string{unknown, no, yes}[t]; text != "" {
			parts = append(parts, text)
		}
	}
	if a.Kind != "" {
		parts = append(parts, "kind "+a.Kind)
	} else {
		parts = append(parts, "kind not known")
	}
	say(a.Privileged, "privileged", "not privileged", "privileged or not is not known")
	say(a.Enabled, "enabled", "disabled", "enabled or not is not known")
	locked := "locked"
	switch {
	case a.LockedUntil.IsNever():
		locked += " until an administrator acts"
	case a.LockedUntil.Known():
		locked += " until " + a.LockedUntil.String()
	}
	say(a.Locked, locked, "not locked", "locked or not is not known")
	say(a.MustChange, "must change the password", "", "")
	say(a.Blank, "empty password", "", "")
	say(a.PasswordUsable, "", "no password lets it in", "")
	say(a.NeverExpires, "marked: password never expires", "", "")
	say(a.SecondFactor, "second factor enrolled", "no second factor", "second factor not known")
	policy := "falls under no policy"
	switch {
	case x.Derived.Missing == facts.Yes:
		policy = "names the policy " + a.Policy + ", which does not exist"
	case x.Derived.PolicyOpen:
		policy = "which policy it falls under is not known"
	case x.Derived.Policy != "":
		policy = "first policy: " + x.Derived.Policy
	}
	p.para("", boldStyle, seen(a.Login+" on "+x.System.Name+": "+strings.Join(append(parts, policy), ", "))+".")
	p.para("", faintStyle, seen(a.Origin.String()+", as of "+asOf(x.System.AsOf)+"; the system chooses: "+string(x.System.Chooses)))
	if v := x.System.View; v != nil && !v.Whole {
		var about []string
		for _, hidden := range v.NotVisible() {
			about = append(about, hidden.About)
		}
		if len(about) > 0 {
			p.para("", faintStyle, seen("Not visible in this export, and so unknown: "+strings.Join(about, "; ")+"."))
		}
	}
	if len(x.Others) > 0 {
		var places []string
		for _, o := range x.Others {
			places = append(places, o.String())
		}
		p.para("", faintStyle, seen("Others of this name stand at "+strings.Join(places,
			", ")+"; where they name policies, POLICY/"+a.Login+" picks one."))
	}
}

// dates are the password's, in the order in which they come.
func (p *page) dates(x *explain.Explanation) {
	p.blank()
	p.para("", boldStyle, "The password")
	d := &x.Derived
	overdue := map[facts.Tri]string{facts.Yes: ": overdue", facts.No: ""}[d.Overdue]
	if d.Shut == facts.Yes {
		overdue += ", and the account is shut"
	}
	for _, line := range [][2]string{
		{"set", x.Account.PasswordSet.String()},
		{"may be changed", mayChange(x)},
		{"warned from", d.WarnedFrom.String()},
		{"ends", d.Expires.String() + overdue},
		{"account shut", d.ShutAt.String()},
		{"last sign-in", lastSignIn(&x.Account)},
	} {
		p.para("  "+padded(line[0], 16), plainStyle, line[1])
	}
}

func lastSignIn(a *facts.Account) string {
	if a.LastSignInFrom != "" {
		return a.LastSignIn.String() + ", by the record of sign-ins " + seen(a.LastSignInFrom)
	}
	return a.LastSignIn.String()
}

func mayChange(x *explain.Explanation) string {
	switch x.Derived.MayChange.Past(x.Derived.AsOf) {
	case facts.Yes:
		return "now"
	case facts.No:
		return "from " + x.Derived.MayChange.String()
	}
	return "unknown"
}

// holding lists the settings that something says, group by group. The reason
// that most of them share is said once.
func (p *page) holding(x *explain.Explanation) {
	p.blank()
	p.para("", boldStyle, "What holds, and why")
	usual := usualReason(x)
	if usual != "" {
		p.para("  ", plainStyle, seen("where nothing else is said: "+usual))
	}
	group, unknown := "", []string{}
	for i := 0; i < len(x.Settings); i++ {
		s := &x.Settings[i]
		if len(s.Trail) == 0 {
			unknown = append(unknown, s.Name)
			continue
		}
		if s.Group != group {
			group = s.Group
			p.para(" ", faintStyle, group)
		}
		same := alike(x.Settings[i:])
		if same > 2 {
			p.together(x.Settings[i:i+same], usual)
			i += same - 1
			continue
		}
		p.setting(s, usual)
	}
	if len(unknown) > 0 {
		p.para("  "+padded("not known", 23), plainStyle, strings.Join(unknown, ", "))
	}
}

// usualReason is why most of the settings hold.
func usualReason(x *explain.Explanation) string {
	counts, best := map[string]int{}, ""
	for i := range x.Settings {
		if w := x.Settings[i].Winner(); w != nil {
			counts[w.Why]++
			if counts[w.Why] > counts[best] {
				best = w.Why
			}
		}
	}
	return best
}

// alike counts the settings at the start of the list that hold for one and the
// same reason, read off one place.
func alike(list []explain.ExplainedSetting) int {
	n := 0
	for i := range list {
		if len(list[i].Trail) != 1 || list[i].Group != list[0].Group || list[i].Trail[0].Origin != list[0].Trail[0].Origin {
			break
		}
		n++
	}
	return n
}

// together writes settings that are alike in one entry.
func (p *page) together(list []explain.ExplainedSetting, usual string) {
	var names []string
	for i := range list {
		names = append(names, list[i].Name+" "+list[i].Trail[0].Value)
	}
	p.para("  ", plainStyle, strings.Join(names, ", ")+": "+seen(step(list[0].Trail[0], usual)))
}

// setting writes what holds and where it stood, and why where that is not
// the usual reason; then what lost.
func (p *page) setting(s *explain.ExplainedSetting, usual string) {
	if w := s.Winner(); w != nil {
		p.para("  "+padded(s.Name, 23)+p.paint(boldStyle, padded(w.Value, 19)), plainStyle, seen(step(*w, usual)))
	}
	for _, t := range s.Trail {
		if !t.Won {
			p.para(strings.Repeat(" ", 25)+p.paint(faintStyle, padded("not "+t.Value, 19)), faintStyle, seen(step(t, "")))
		}
	}
}

// trail tells all about one setting.
func (p *page) trail(s *explain.ExplainedSetting) {
	if len(s.Trail) == 0 {
		p.para("  "+padded(s.Name, 23), plainStyle, "unknown: nothing in the export says it")
		return
	}
	p.setting(s, "")
}

// step says where a value stood, and why it won or lost unless that is usual.
func step(t explain.TrailStep, usual string) string {
	text := t.Where + ", " + t.Origin.String()
	if t.Origin.Text != "" {
		text += " (" + t.Origin.Text + ")"
	}
	if t.Why != usual {
		text += ": " + t.Why
	}
	return text
}

// outcomes lists how the rules come out, the broken ones first.
func (p *page) outcomes(x *explain.Explanation) {
	p.blank()
	p.para("", boldStyle, "The rules")
	for _, outcome := range []string{finding.Broken, finding.Accepted, finding.Open, finding.Soon} {
		for _, r := range x.Rules {
			if r.Outcome == outcome {
				p.para("  "+p.paint(outcomeStyles[outcome], padded(outcome, 11)), plainStyle, seen(r.Rule.String()+": "+r.Text))
			}
		}
	}
	for _, outcome := range []string{finding.Met, finding.Replaced, finding.NotForIt} {
		var names []string
		checks := 0
		for _, r := range x.Rules {
			if r.Outcome == outcome && r.Rule.BuiltIn {
				checks++
			} else if r.Outcome == outcome {
				name := r.Rule.String()
				if outcome == finding.Replaced {
					name += " " + r.Text
				}
				names = append(names, name)
			}
		}
		if checks > 0 {
			names = append(names, fmt.Sprintf("and %d checks", checks))
		}
		if len(names) > 0 {
			p.para("  "+p.paint(outcomeStyles[outcome], padded(outcome, 11)), plainStyle, seen(strings.Join(names, ", ")))
		}
	}
}
