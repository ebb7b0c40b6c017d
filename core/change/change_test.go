package change

import (
	"slices"
	"strings"
	"testing"

	"yewcone/core/check"
	"yewcone/core/finding"
	"yewcone/core/requirement"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/setting/settingtest"
)

// want is what a finding wants of a setting in the policy p.
func want(name, now, asked string, limit ...string) finding.Want {
	id := settingtest.ID(name)
	w := finding.Want{Setting: id, Policy: "p", Asked: phrase(id, asked)}
	if now != "" {
		w.Now = settingtest.Value(name, now)
	}
	for _, l := range limit {
		r := phrase(id, l)
		w.Limit = &r
	}
	return w
}

func phrase(id setting.ID, text string) requirement.Requirement {
	r, err := requirement.Parse(setting.At(id), text)
	if err != nil {
		panic(err)
	}
	return r
}

func found(rule string, severity rules.Severity, accounts int, wants ...finding.Want) finding.Finding {
	return finding.Finding{System: "s", Rule: rules.Rule{Set: "r", Clause: rule}, Severity: severity, Fingerprint: rule, Wants: wants, Policy: "p",
		Sentence: "so", Remedy: "do " + rule, Reach: finding.Reach{Accounts: accounts}}
}

// steps are the steps of the change that sets values, as text.
func steps(c *Change) string {
	var parts []string
	for i := range c.Steps {
		parts = append(parts, strings.TrimPrefix(c.Steps[i].Do, "set "))
	}
	return strings.Join(parts, "; ")
}

func TestValues(t *testing.T) {
	mark := finding.Finding{System: "s", Severity: rules.High, Fingerprint: "m", Mark: "never_expires", Reach: finding.Reach{Accounts: 3}}
	marked := found("marked", rules.Medium, 2, func() finding.Want {
		w := want("max_age", "never", "at most 90 days")
		w.Mark, w.OnAccount, w.Policy = "never_expires", true, ""
		return w
	}())
	for _, c := range []struct {
		what                string
		findings            []finding.Finding
		steps               string
		ends, helps, beyond int
	}{
		{"two lengths are one step, to the greater", []finding.Finding{found("a", rules.High, 90, want("min_length", "8", "at least 14")),
			found("b", rules.High, 2, want("min_length", "8", "at least 16"))}, "min_length from 8 to 16", 2, 0, 0},
		{"the nearest where nothing is asked of the stricter side", []finding.Finding{found("a", rules.High, 1,
			want("min_age", "45 days", "at most 15 days or none"))}, "min_age from 45 days to 15 days", 1, 0, 0},
		{"an age that is off", []finding.Finding{found("a", rules.High, 1, want("max_age", "never", "at most 90 days"))},
			"max_age from never to 90 days", 1, 0, 0},
		{"an age that is too long", []finding.Finding{found("a", rules.High, 1, want("max_age", "365 days", "at most 90 days or never"))},
			"max_age from 365 days to 90 days", 1, 0, 0},
		{"what is not said", []finding.Finding{found("a", rules.High, 1, want("history", "", "at least 5"))}, "history to 5", 1, 0, 0},
		{"within a limit", []finding.Finding{found("a", rules.High, 1, want("min_length", "4", "at least 6", "at most 8"))},
			"min_length from 4 to 6", 1, 0, 0},
		{"beyond a limit: the nearest", []finding.Finding{found("a", rules.High, 1, want("min_length", "4", "at least 14", "at most 8"))},
			"min_length from 4 to 8", 0, 0, 1},
		{"one within and one beyond", []finding.Finding{found("a", rules.High, 1, want("min_length", "4", "at least 6", "at most 8")),
			found("b", rules.High, 1, want("min_length", "4", "at least 14", "at most 8"))}, "min_length from 4 to 6", 1, 0, 1},
		{"at the limit already: no step", []finding.Finding{found("a", rules.High, 1, want("min_length", "8", "at least 14", "at most 8"))}, "", 0, 0, 0},
		{"the ceiling first", []finding.Finding{found("a", rules.High, 1, want("min_length", "8", "at least 14")),
			found("b", rules.Low, 1, want("max_length", "10", "at least 64 or none"))}, "max_length from 10 to 64; min_length from 8 to 14", 2, 0, 0},
		{"two settings for one finding", []finding.Finding{found("a", rules.High, 1, want("lockout_window", "5 minutes", "at least 30 minutes or never"),
			want("lockout_duration", "5 minutes", "at least 30 minutes or until unlocked"))},
			"lockout_window from 5 minutes to 30 minutes; lockout_duration from 5 minutes to 30 minutes", 1, 0, 0},
		{"of two settings one is right", []finding.Finding{found("a", rules.High, 1, want("lockout_window", "60 minutes", "at least 30 minutes or never"),
			want("lockout_duration", "5 minutes", "at least 30 minutes or until unlocked"))},
			"lockout_duration from 5 minutes to 30 minutes", 1, 0, 0},
		{"crossed demands: the worse is met", []finding.Finding{found("a", rules.High, 1, want("min_length", "8", "at least 14")),
			found("b", rules.Low, 1, want("min_length", "8", "at most 6"))}, "min_length from 8 to 14", 1, 0, 1},
		{"a longer history wants a longer smallest age", []finding.Finding{found("a", rules.High, 1, want("history", "none", "at least 8")),
			found("b", rules.High, 1, want("min_age", "none", "at least 1 hour"))}, "history from none to 8; min_age from none to 1 day", 2, 0, 0},
		{"a mark and the age that it overrules are one", []finding.Finding{mark, marked}, check.Marks["never_expires"], 2, 0, 0},
	} {
		r := &finding.Result{Findings: c.findings, Systems: []finding.SystemResult{{Name: "s"}}}
		r.Sort()
		list := Of(r)
		if c.steps == "" {
			if len(list) != 0 {
				t.Errorf("%s: %s", c.what, steps(&list[0]))
			}
			continue
		}
		if len(list) != 1 {
			t.Errorf("%s: %d changes", c.what, len(list))
			continue
		}
		if got := steps(&list[0]); got != c.steps || len(list[0].Ends) != c.ends || len(list[0].Helps) != c.helps || len(list[0].Beyond) != c.beyond {
			t.Errorf("%s: %q ends %d, helps %d, beyond %d; want %q %d %d %d", c.what, got, len(list[0].Ends), len(list[0].Helps), len(list[0].Beyond),
				c.steps, c.ends, c.helps, c.beyond)
		}
	}
}

// TestEnough: a gentler value that would do for most is named, with what it
// would leave.
func TestEnough(t *testing.T) {
	r := &finding.Result{Systems: []finding.SystemResult{{Name: "s", Accounts: 100}}, Findings: []finding.Finding{
		found("a", rules.High, 90, want("min_length", "8", "at least 14")), found("b", rules.High, 2, want("min_length", "8", "at least 16"))}}
	list := Of(r)
	e := list[0].Steps[0].Enough
	if len(e) != 1 || !strings.Contains(e[0].Text(r, &list[0].Steps[0]), "min_length 14 would leave r/b, for 2 accounts") {
		t.Errorf("%+v", e)
	}
}

// TestAgainst: what a step would set off beside a value that stays is said first.
func TestAgainst(t *testing.T) {
	f := found("a", rules.High, 1, want("min_age", "none", "at least 2 days"))
	var holds finding.Holding
	for name, value := range map[string]string{"min_age": "none", "max_age": "1 day"} {
		holds.Add(finding.Held{Setting: settingtest.ID(name), Value: settingtest.Value(name, value)})
	}
	for _, c := range []struct{ policy, first string }{
		{f.Policy, "decide of " + f.Policy + " first: with these values a password must be kept for 2 days and lasts 1 day; set min_age well below max_age"},

		{"another", ""}} {
		r := &finding.Result{Systems: []finding.SystemResult{{Name: "s", Holds: map[string]finding.Holding{c.policy: holds}}}, Findings: []finding.Finding{f}}
		if got := strings.Join(Of(r)[0].First, "|"); got != c.first {
			t.Errorf("%q", got)
		}
	}
}

// TestRank: what is open to anybody and what one visit ends come before what
// many accounts have to be visited for.
func TestRank(t *testing.T) {
	open := found("open", rules.Critical, 2)
	open.Opens, open.Policy = "an empty password", ""
	many := found("many", rules.Medium, 5000)
	many.Policy = ""
	r := &finding.Result{Systems: []finding.SystemResult{{Name: "s"}}, Findings: []finding.Finding{open,
		found("a", rules.High, 50, want("min_length", "8", "at least 14")), found("b", rules.High, 50, want("history", "none", "at least 5")), many}}
	r.Sort()
	var order []string
	for _, c := range Of(r) {
		order = append(order, r.Findings[c.Steps[0].Findings[0]].Fingerprint)
	}
	if !slices.Equal(order, []string{"open", "a", "many"}) {
		t.Error(order)
	}
}
