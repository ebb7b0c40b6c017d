package effective

import (
	"fmt"
	"testing"
	"time"

	"yewcone/core/estate"
	"yewcone/core/setting"
	"yewcone/core/setting/settingtest"
)

// p makes a policy out of "name value" pairs; "-" says nothing.
func p(name string, change func(*estate.Policy), values ...string) estate.Policy {
	out := estate.Policy{Name: name, Origin: estate.Origin{File: name}}
	for i := 0; i < len(values); i += 2 {
		out.Set(settingtest.ID(values[i]), settingtest.Value(values[i], values[i+1]), estate.Origin{File: name})
	}
	if change != nil {
		change(&out)
	}
	return out
}

func role(names ...string) func(*estate.Policy) {
	return func(p *estate.Policy) { p.Roles = names }
}

func numbered(n int, roles ...string) func(*estate.Policy) {
	return func(p *estate.Policy) { p.Roles, p.Priority = roles, n }
}

func unit(path string) func(*estate.Policy) { return func(p *estate.Policy) { p.Unit = path } }
func parent(name string) func(*estate.Policy) {
	return func(p *estate.Policy) { p.Parent = name }
}

func account(change func(*estate.Account)) *estate.Account {
	a := &estate.Account{Login: "ann", Roles: []string{"deck", "bridge"}, RolesKnown: true, Unit: "Ships/Petrel/Deck",
		Origin: estate.Origin{File: "accounts", Line: 7}}
	if change != nil {
		change(a)
	}
	return a
}

func own(name, value string) func(*estate.Account) {
	return func(a *estate.Account) {
		a.Overrides = append(a.Overrides, estate.Override{Setting: settingtest.ID(name),
			Sourced: estate.Sourced{Value: settingtest.Value(name, value)}})
	}
}

func names(policy string) func(*estate.Account) {
	return func(a *estate.Account) { a.Policy = policy }
}

func TestChoosing(t *testing.T) {
	base := p("base", nil, "min_length", "10", "max_age", "90 days", "history", "5")
	for _, c := range []struct {
		what     string
		chooses  estate.Choosing
		policies []estate.Policy
		account  func(*estate.Account)
		setting  string
		want     string // the value that holds
		from     string // the policy it stands in; "account" for the account itself; "" for none
	}{
		{"single: the default", estate.ChooseSingle, []estate.Policy{base}, nil, "min_length", "10", "base"},
		{"single: what it does not say", estate.ChooseSingle, []estate.Policy{base}, nil, "max_run", "unknown", ""},
		{"single: an override wins", estate.ChooseSingle, []estate.Policy{base}, own("max_age", "365 days"), "max_age",
			"365 days", "account"},
		{"single: a mark wins", estate.ChooseSingle, []estate.Policy{base},
			func(a *estate.Account) { a.NeverExpires = estate.Yes }, "max_age", "never", "account"},
		{"single: an unknown mark does not", estate.ChooseSingle, []estate.Policy{base},
			func(a *estate.Account) { a.NeverExpires = estate.Unknown }, "max_age", "90 days", "base"},
		{"single: inherits", estate.ChooseSingle, []estate.Policy{p("base", parent("above"), "history", "3"),
			p("above", nil, "min_length", "9")}, nil, "min_length", "9", "above"},

		{"assigned: the one named", estate.ChooseAssigned, []estate.Policy{base, p("own", nil, "min_length", "6")},
			names("own"), "min_length", "6", "own"},
		{"assigned: nothing comes from the default", estate.ChooseAssigned, []estate.Policy{base,
			p("own", nil, "min_length", "6")}, names("own"), "history", "unknown", ""},
		{"assigned: none named", estate.ChooseAssigned, []estate.Policy{base, p("own", nil, "min_length", "6")}, nil,
			"min_length", "10", "base"},
		{"assigned: a policy that does not exist", estate.ChooseAssigned, []estate.Policy{base}, names("gone"),
			"min_length", "unknown", ""},
		{"assigned: inherits from its parent", estate.ChooseAssigned, []estate.Policy{base,
			p("own", parent("base"), "min_length", "6")}, names("own"), "history", "5", "base"},
		{"assigned: a circle ends", estate.ChooseAssigned, []estate.Policy{p("own", parent("other"), "min_length", "6"),
			p("other", parent("own"), "history", "2")}, names("own"), "history", "2", "other"},
		{"assigned: a circle says no more", estate.ChooseAssigned, []estate.Policy{p("own", parent("other")),
			p("other", parent("own"))}, names("own"), "history", "unknown", ""},
		{"assigned: a missing parent", estate.ChooseAssigned, []estate.Policy{p("own", parent("gone"), "min_length", "6")},
			names("own"), "history", "unknown", ""},
		{"assigned: an override wins", estate.ChooseAssigned, []estate.Policy{base}, own("history", "none"), "history", "none", "account"},

		{"priority: the lowest number", estate.ChoosePriority,
			[]estate.Policy{base, p("deck", numbered(20, "deck"), "min_length", "8"),
				p("bridge", numbered(10, "bridge"), "min_length", "12")}, nil, "min_length", "12", "bridge"},
		{"priority: a tie goes to the first", estate.ChoosePriority, []estate.Policy{base,
			p("deck", numbered(10, "deck"), "min_length", "8"), p("bridge", numbered(10, "bridge"), "min_length", "12")},
			nil, "min_length", "8", "deck"},
		{"priority: what the winner does not say", estate.ChoosePriority, []estate.Policy{base,
			p("deck", numbered(20, "deck"), "min_length", "8")}, nil, "history", "unknown", ""},
		{"priority: none matches", estate.ChoosePriority,
			[]estate.Policy{base, p("galley", numbered(1, "galley"), "min_length", "8")}, nil, "min_length", "10", "base"},
		{"priority: through a group", estate.ChoosePriority,
			[]estate.Policy{base, p("crew", numbered(1, "crew"), "min_length", "8")},
			func(a *estate.Account) { a.Groups = []string{"crew"} }, "min_length", "8", "crew"},
		{"priority: an override wins", estate.ChoosePriority,
			[]estate.Policy{base, p("deck", numbered(20, "deck"), "min_length", "8")}, own("min_length", "4"), "min_length",
			"4", "account"},

		{"nearest: the unit itself", estate.ChooseNearest,
			[]estate.Policy{base, p("ships", unit("Ships"), "min_length", "11"),
				p("petrel", unit("Ships/Petrel"), "min_length", "12")}, nil, "min_length", "12", "petrel"},
		{"nearest: inherits setting by setting", estate.ChooseNearest, []estate.Policy{base,
			p("ships", unit("Ships"), "history", "9"), p("petrel", unit("Ships/Petrel"), "min_length", "12")}, nil,
			"history", "9", "ships"},
		{"nearest: up to the default", estate.ChooseNearest,
			[]estate.Policy{base, p("petrel", unit("Ships/Petrel"), "min_length", "12")}, nil, "max_age", "90 days",
			"base"},
		{"nearest: a name that only begins alike", estate.ChooseNearest, []estate.Policy{base,
			p("pet", unit("Ships/Pet"), "min_length", "12")}, nil, "min_length", "10", "base"},
		{"nearest: a tie takes the loosest", estate.ChooseNearest,
			[]estate.Policy{base, p("a", unit("Ships"), "min_length", "12"), p("b", unit("Ships"), "min_length", "8")}, nil,
			"min_length", "8", "b"},
		{"nearest: an unknown unit", estate.ChooseNearest,
			[]estate.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, func(a *estate.Account) { a.Unit = "" },
			"min_length", "10", "base"},

		{"own before role: its own", estate.ChooseOwn, []estate.Policy{base, p("own", nil, "min_length", "6"),
			p("deck", role("deck"), "min_length", "8")}, names("own"), "min_length", "6", "own"},
		{"own before role: the role's", estate.ChooseOwn, []estate.Policy{base, p("deck", role("deck"), "min_length", "8")},
			nil, "min_length", "8", "deck"},
		{"own before role: the loosest of two roles", estate.ChooseOwn, []estate.Policy{base,
			p("deck", role("deck"), "max_age", "60 days"), p("bridge", role("bridge"), "max_age", "never")}, nil, "max_age",
			"never", "bridge"},
		{"own before role: inherits", estate.ChooseOwn, []estate.Policy{base, p("deck", role("deck"), "min_length", "8")},
			nil, "history", "5", "base"},
		{"own before role: a policy that does not exist", estate.ChooseOwn, []estate.Policy{base,
			p("deck", role("deck"), "min_length", "8")}, names("gone"), "min_length", "8", "deck"},
		{"own before role: a mark wins", estate.ChooseOwn,
			[]estate.Policy{base, p("deck", role("deck"), "max_age", "60 days")},
			func(a *estate.Account) { a.NeverExpires = estate.Yes }, "max_age", "never", "account"},

		{"strictest: of all", estate.ChooseStrictest, []estate.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("bridge", role("bridge"), "min_length", "12")}, nil, "min_length", "12", "bridge"},
		{"strictest: never is the weakest age", estate.ChooseStrictest, []estate.Policy{base,
			p("deck", role("deck"), "max_age", "never")}, nil, "max_age", "90 days", "base"},
		{"strictest: one says nothing", estate.ChooseStrictest,
			[]estate.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "history", "5", "base"},
		{"strictest: a tie", estate.ChooseStrictest, []estate.Policy{base, p("deck", role("deck"), "min_length", "10")},
			nil, "min_length", "10", "deck"},
		{"strictest: an override still wins", estate.ChooseStrictest, []estate.Policy{base}, own("min_length", "4"),
			"min_length", "4", "account"},
		{"single: a tie of two defaults' names goes to the first", estate.ChooseSingle,
			[]estate.Policy{base, p("base", nil, "min_length", "20")}, nil, "min_length", "10", "base"},
		{"single: a policy that does not exist changes nothing", estate.ChooseSingle, []estate.Policy{base}, names("gone"),
			"min_length", "10", "base"},
		{"assigned: a tie of two names goes to the first", estate.ChooseAssigned,
			[]estate.Policy{p("own", nil, "min_length", "6"), p("own", nil, "min_length", "7")}, names("own"), "min_length",
			"6", "own"},
		{"priority: inherits from its parent", estate.ChoosePriority, []estate.Policy{base,
			p("deck", func(x *estate.Policy) { x.Roles, x.Parent = []string{"deck"}, "base" }, "min_length", "8")}, nil,
			"history", "5", "base"},
		{"priority: a policy that does not exist changes nothing", estate.ChoosePriority,
			[]estate.Policy{base, p("deck", numbered(1, "deck"), "min_length", "8")}, names("gone"), "min_length", "8",
			"deck"},
		{"nearest: nothing says it", estate.ChooseNearest,
			[]estate.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, nil, "max_run", "unknown", ""},
		{"nearest: an override wins", estate.ChooseNearest,
			[]estate.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, own("min_length", "5"), "min_length", "5",
			"account"},
		{"nearest: a policy that does not exist changes nothing", estate.ChooseNearest,
			[]estate.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, names("gone"), "min_length", "12",
			"ships"},
		{"own before role: a tie of two roles", estate.ChooseOwn,
			[]estate.Policy{base, p("deck", role("deck"), "min_length", "8"), p("bridge", role("bridge"), "min_length",
				"8")}, nil, "min_length", "8", "deck"},
		{"own before role: nothing says it", estate.ChooseOwn,
			[]estate.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "max_run", "unknown", ""},
		{"strictest: nothing says it", estate.ChooseStrictest,
			[]estate.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "max_run", "unknown", ""},
		{"strictest: inherits from its parent", estate.ChooseStrictest, []estate.Policy{base,
			p("deck", func(x *estate.Policy) { x.Roles, x.Parent = []string{"deck"}, "above" }),
			p("above", nil, "min_length", "30")}, nil, "min_length", "30", "above"},
		{"strictest: a policy that does not exist changes nothing", estate.ChooseStrictest, []estate.Policy{base},
			names("gone"), "min_length", "10", "base"},
		{"loosest: a tie", estate.ChooseLoosest, []estate.Policy{base, p("deck", role("deck"), "min_length", "10")}, nil,
			"min_length", "10", "deck"},
		{"loosest: nothing says it", estate.ChooseLoosest,
			[]estate.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "max_run", "unknown", ""},
		{"loosest: an override wins", estate.ChooseLoosest,
			[]estate.Policy{base, p("deck", role("deck"), "min_length", "8")}, own("min_length", "20"), "min_length", "20",
			"account"},
		{"loosest: inherits from its parent", estate.ChooseLoosest, []estate.Policy{base,
			p("deck", func(x *estate.Policy) { x.Roles, x.Parent = []string{"deck"}, "above" }),
			p("above", nil, "history", "2")}, nil, "history", "2", "above"},
		{"loosest: of all", estate.ChooseLoosest, []estate.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("bridge", role("bridge"), "min_length", "12")}, nil, "min_length", "8", "deck"},
		{"loosest: never is the loosest age", estate.ChooseLoosest, []estate.Policy{base,
			p("deck", role("deck"), "max_age", "never")}, nil, "max_age", "never", "deck"},
		{"loosest: a policy that does not exist", estate.ChooseLoosest, []estate.Policy{base}, names("gone"), "min_length", "10", "base"},
	} {
		system := &estate.System{Name: "x", Chooses: c.chooses, Policies: c.policies, Default: "base"}
		r := NewResolver(system)
		a := account(c.account)
		s := r.For(a)
		id := settingtest.ID(c.setting)
		got, from := setting.At(id).Text(s.Get(id).Value), ""
		if f := s.Get(id).From; f != nil {
			if from = f.Policy; f.Level == OnAccount {
				from = "account"
			}
		}
		if got != c.want || from != c.from {
			t.Errorf("%s: %s is %s from %q, want %s from %q", c.what, c.setting, got, from, c.want, c.from)
		}
		if again := r.For(account(c.account)); again != s {
			t.Errorf("%s: the same combination is worked out twice", c.what)
		}
		for _, step := range s.Get(id).Trail {
			if step.Why == "" {
				t.Errorf("%s: %v of %s has no reason", c.what, step.Value, step.Describe())
			}
		}
		if missing := s.Missing; (missing != "") != (a.Policy == "gone") {
			t.Errorf("%s: missing policy %q", c.what, missing)
		}
	}
}

func TestDates(t *testing.T) {
	at := func(text string) estate.Moment {
		for _, layout := range []string{"2006-01-02 15:04", "2006-01-02"} {
			if m, err := parse(layout, text); err == nil {
				return m
			}
		}
		t.Fatal(text)
		return estate.Moment{}
	}
	policy := p("base", nil, "max_age", "3 months", "min_age", "1 day", "warn_before", "10 days", "grace_period", "30 days")
	for _, c := range []struct {
		what            string
		change          func(*estate.Account)
		expires, warned string
		overdue, shut   estate.Tri
	}{
		{"to the very minute", func(a *estate.Account) { a.PasswordSet = at("2026-08-23 06:00") }, "2026-11-23 06:00",
			"2026-11-13 06:00", estate.No, estate.No},
		{"a minute more", func(a *estate.Account) { a.PasswordSet = at("2026-08-23 05:59") }, "2026-11-23 05:59",
			"2026-11-13 05:59", estate.Yes, estate.No},
		{"a day is good to its end", func(a *estate.Account) { a.PasswordSet = at("2026-08-23") }, "2026-11-23",
			"2026-11-13", estate.No, estate.No},
		{"past the grace", func(a *estate.Account) { a.PasswordSet = at("2026-07-20 00:00") }, "2026-10-20 00:00",
			"2026-10-10 00:00", estate.Yes, estate.Yes},
		{"no date", func(*estate.Account) {}, "unknown", "unknown", estate.Unknown, estate.Unknown},
		{"a mark", func(a *estate.Account) { a.NeverExpires = estate.Yes }, "never", "never", estate.No, estate.No},
		{"the export says it", func(a *estate.Account) { a.PasswordExpires = estate.Never }, "never", "never", estate.No, estate.No},
	} {
		system := &estate.System{Name: "x", Chooses: estate.ChooseSingle, Policies: []estate.Policy{policy}, Default: "base"}
		asOf, _ := at("2026-11-23 06:00").Time()
		system.AsOf = asOf
		a := account(c.change)
		var d estate.Dates
		DatesOf(&d, a, NewResolver(system).For(a), system, 0)
		if d.Expires.String() != c.expires || d.WarnedFrom.String() != c.warned || d.Overdue != c.overdue || d.Shut != c.shut {
			t.Errorf("%s: expires %s, warned %s, overdue %s, shut %s", c.what, d.Expires, d.WarnedFrom, d.Overdue, d.Shut)
		}
	}
}

func parse(layout, text string) (estate.Moment, error) {
	t, err := time.Parse(layout, text)
	if layout == time.DateOnly {
		return estate.OnDay(t), err
	}
	return estate.At(t), err
}

// benchmark: a million accounts over 20 policies, chosen by role.
func BenchmarkFor(b *testing.B) {
	var policies []estate.Policy
	for i := range 20 {
		policies = append(policies, p(fmt.Sprint("role", i), role(fmt.Sprint("role", i)), "min_length", fmt.Sprint(8+i)))
	}
	policies = append(policies, p("base", nil, "max_age", "90 days"))
	r := NewResolver(&estate.System{Name: "x", Chooses: estate.ChooseOwn, Policies: policies, Default: "base"})
	accounts := make([]estate.Account, 20)
	for i := range accounts {
		accounts[i] = estate.Account{Login: "a", Roles: []string{fmt.Sprint("role", i)}}
	}
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		r.For(&accounts[i%len(accounts)])
	}
}
