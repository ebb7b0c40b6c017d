package change

import (
	"fmt"
	"slices"
	"strings"

	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// Title says what to do, in one line, with at most so many settings; 0 for all.
func (c *Change) Title(r *finding.Result, most int) string {
	return c.title(r, most, func(s *setting.Setting) string { return s.Name })
}

// Plain is Title in the trade's words, for managers.
func (c *Change) Plain(r *finding.Result, most int) string {
	return c.title(r, most, (*setting.Setting).Term)
}

func (c *Change) title(r *finding.Result, most int, name func(*setting.Setting) string) string {
	if len(c.Steps) > 0 && !c.Steps[0].IsSetting {
		s := &c.Steps[0]
		f := &r.Findings[s.Findings[0]]
		return c.System + ": " + f.Sentence + ": " + s.Do
	}
	where := c.System
	switch len(c.Policies) {
	case 0:
	case 1:
		where += ", policy " + c.Policies[0]
	default:
		where += fmt.Sprintf(", %d policies", len(c.Policies))
	}
	var parts []string
	for i := range c.Steps {
		id := c.Steps[i].Setting
		text, stands := name(setting.At(id))+" "+c.values(id), false
		for _, p := range parts {
			stands = stands || p == text
		}
		if !stands {
			parts = append(parts, text)
		}
	}
	if n := len(parts) - most; most > 0 && n > 1 {
		return where + ": " + strings.Join(parts[:most], ", ") + fmt.Sprintf(" and %d more settings", n)
	}
	return where + ": " + strings.Join(parts, ", ")
}

// values are what a setting is set from and to, in all policies of a change.
func (c *Change) values(id setting.ID) string {
	def := setting.At(id)
	var from, to []setting.Value
	for i := range c.Steps {
		if s := &c.Steps[i]; s.IsSetting && s.Setting == id {
			if s.From.Known() && !slices.Contains(from, s.From) {
				from = append(from, s.From)
			}
			if !slices.Contains(to, s.To) {
				to = append(to, s.To)
			}
		}
	}
	text := func(list []setting.Value) string {
		slices.SortFunc(list, def.CompareAmounts)
		var words []string
		for _, v := range list {
			words = append(words, def.Text(v))
		}
		return strings.Join(words, "/")
	}
	if len(from) == 0 {
		return text(to)
	}
	return text(from) + " → " + text(to)
}

// Sum says what a change ends, and whom it reaches.
func Sum(r *finding.Result, c *Change) string {
	text := "ends nothing by itself"
	if len(c.Ends) > 0 {
		text = "ends " + Counts(r, c.Ends)
	}
	switch {
	case len(c.Beyond) > 0 && len(c.Ends) == 0:
		text = fmt.Sprintf("as near as the system can come to %s", Counts(r, c.Beyond))
	case len(c.Beyond) > 0:
		text += fmt.Sprintf(", and comes nearer to %d more", len(c.Beyond))
	}
	if c.Accounts == 0 {
		return text + "; reaches no account"
	}
	least := ""
	for i := range c.Steps {
		if c.Steps[i].AtLeast {
			least = "at least "
		}
	}
	text += fmt.Sprintf("; reaches %s%d %s", least, c.Accounts, one(c.Accounts, "account", "accounts"))
	switch {
	case c.Privileged == c.Accounts && c.Accounts == 1:
		text += ", privileged"
	case c.Privileged == c.Accounts:
		text += ", all privileged"
	case c.Privileged > 0:
		text += fmt.Sprintf(", %d of them privileged", c.Privileged)
	}
	return text
}

// Counts says how many findings there are of each severity.
func Counts(r *finding.Result, list []int) string {
	counts := BySeverity(r, list)
	var parts []string
	for _, s := range rules.Severities {
		if counts[s] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[s], s))
		}
	}
	text := strings.Join(parts, ", ")
	if n := len(parts); n > 1 {
		text = strings.Join(parts[:n-1], ", ") + " and " + parts[n-1]
	}
	return text + one(len(list), " finding", " findings")
}

func one(n int, single, several string) string {
	if n == 1 {
		return single
	}
	return several
}

// Few says that a step is asked of a part of the accounts that it reaches;
// "" where it is asked of most.
func (s *Step) Few(r *finding.Result) string {
	asked := 0
	for _, i := range s.Findings {
		asked += r.Findings[i].Reach.Accounts
	}
	if !s.IsSetting || len(s.Enough) > 0 || asked == 0 || 2*asked >= s.Accounts {
		return ""
	}
	return fmt.Sprintf("asked of %d of the %d accounts that it reaches: a policy of their own would do too", asked, s.Accounts)
}

// Text says what a gentler value would leave.
func (e *Enough) Text(r *finding.Result, s *Step) string {
	def := setting.At(s.Setting)
	var left []string
	accounts := 0
	for _, i := range s.Findings {
		if !slices.Contains(e.Findings, i) {
			left = append(left, r.Findings[i].Rule.String())
			accounts = max(accounts, r.Findings[i].Reach.Accounts)
		}
	}
	text := fmt.Sprintf("%s %s would leave %s", def.Name, def.Text(e.To), strings.Join(left, ", "))
	if accounts > 0 {
		text += fmt.Sprintf(", for %d %s: a policy of their own would do too", accounts, one(accounts, "account", "accounts"))
	}
	return text
}

// HowMuch tells what the first changes end of what is worst.
func HowMuch(r *finding.Result, list []Change, most int) string {
	ended, all := map[int]bool{}, 0
	for i := range list[:min(most, len(list))] {
		for _, f := range list[i].Ends {
			if r.Findings[f].Severity >= rules.High {
				ended[f] = true
			}
		}
	}
	for i := range r.Findings {
		if r.Findings[i].Severity >= rules.High {
			all++
		}
	}
	if all == 0 {
		return "Nothing that was found is critical or high."
	}
	return fmt.Sprintf("The first %d changes end %d of the %d critical and high findings.", min(most, len(list)), len(ended), all)
}
