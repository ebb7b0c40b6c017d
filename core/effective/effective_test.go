package effective

import (
	"fmt"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/core/setting/settingtest"
)

// p makes a policy out of "name value" pairs; "-" says nothing.
func p(name string, change func(*facts.Policy), values ...string) facts.Policy {
	out := facts.Policy{Name: name, Origin: facts.Origin{File: name}}
	for i := 0; i < len(values); i += 2 {
		out.Set(settingtest.ID(values[i]), settingtest.Value(values[i], values[i+1]), facts.Origin{File: name})
	}
	if change != nil {
		change(&out)
	}
	return out
}

func role(names ...string) func(*facts.Policy) {
	return func(p *facts.Policy) { p.Roles = names }
}

func numbered(n int, roles ...string) func(*facts.Policy) {
	return func(p *facts.Policy) { p.Roles, p.Priority = roles, n }
}

func unit(path string) func(*facts.Policy) { return func(p *facts.Policy) { p.Unit = path } }
func parent(name string) func(*facts.Policy) {
	return func(p *facts.Policy) { p.Parent = name }
}

func account(change func(*facts.Account)) *facts.Account {
	a := &facts.Account{Login: "ann", Roles: []string{"deck", "bridge"}, RolesKnown: true, Unit: "Ships/Petrel/Deck",
		Origin: facts.Origin{File: "accounts", Line: 7}}
	if change != nil {
		change(a)
	}
	return a
}

func own(name, value string) func(*facts.Account) {
	return func(a *facts.Account) {
		a.Overrides = append(a.Overrides, facts.Override{Setting: settingtest.ID(name),
			Sourced: facts.Sourced{Value: settingtest.Value(name, value)}})
	}
}

func names(policy string) func(*facts.Account) {
	return func(a *facts.Account) { a.Policy = policy }
}

func TestChoosing(t *testing.T) {
	base := p("base", nil, "min_length", "10", "max_age", "90 days", "history", "5")
	for _, c := range []struct {
		what     string
		chooses  facts.Precedence
		policies []facts.Policy
		account  func(*facts.Account)
		setting  string
		want     string // the value that holds
		from     string // the policy it stands in; "account" for the account itself; "" for none
	}{
		{"single: the default", facts.ChooseSingle, []facts.Policy{base}, nil, "min_length", "10", "base"},
		{"single: what it does not say", facts.ChooseSingle, []facts.Policy{base}, nil, "max_run", "unknown", ""},
		{"single: an override wins", facts.ChooseSingle, []facts.Policy{base}, own("max_age", "365 days"), "max_age",
			"365 days", "account"},
		{"single: a mark wins", facts.ChooseSingle, []facts.Policy{base},
			func(a *facts.Account) { a.NeverExpires = facts.Yes }, "max_age", "never", "account"},
		{"single: an unknown mark does not", facts.ChooseSingle, []facts.Policy{base},
			func(a *facts.Account) { a.NeverExpires = facts.Unknown }, "max_age", "90 days", "base"},
		{"single: inherits", facts.ChooseSingle, []facts.Policy{p("base", parent("above"), "history", "3"),
			p("above", nil, "min_length", "9")}, nil, "min_length", "9", "above"},

		{"assigned: the one named", facts.ChooseAssigned, []facts.Policy{base, p("own", nil, "min_length", "6")},
			names("own"), "min_length", "6", "own"},
		{"assigned: nothing comes from the default", facts.ChooseAssigned, []facts.Policy{base,
			p("own", nil, "min_length", "6")}, names("own"), "history", "unknown", ""},
		{"assigned: none named", facts.ChooseAssigned, []facts.Policy{base, p("own", nil, "min_length", "6")}, nil,
			"min_length", "10", "base"},
		{"assigned: a policy that does not exist", facts.ChooseAssigned, []facts.Policy{base}, names("gone"),
			"min_length", "unknown", ""},
		{"assigned: inherits from its parent", facts.ChooseAssigned, []facts.Policy{base,
			p("own", parent("base"), "min_length", "6")}, names("own"), "history", "5", "base"},
		{"assigned: a circle ends", facts.ChooseAssigned, []facts.Policy{p("own", parent("other"), "min_length", "6"),
			p("other", parent("own"), "history", "2")}, names("own"), "history", "2", "other"},
		{"assigned: a circle says no more", facts.ChooseAssigned, []facts.Policy{p("own", parent("other")),
			p("other", parent("own"))}, names("own"), "history", "unknown", ""},
		{"assigned: a missing parent", facts.ChooseAssigned, []facts.Policy{p("own", parent("gone"), "min_length", "6")},
			names("own"), "history", "unknown", ""},
		{"assigned: an override wins", facts.ChooseAssigned, []facts.Policy{base}, own("history", "none"), "history", "none", "account"},

		{"priority: the lowest number", facts.ChoosePriority,
			[]facts.Policy{base, p("deck", numbered(20, "deck"), "min_length", "8"),
				p("bridge", numbered(10, "bridge"), "min_length", "12")}, nil, "min_length", "12", "bridge"},
		{"priority: a tie goes to the first", facts.ChoosePriority, []facts.Policy{base,
			p("deck", numbered(10, "deck"), "min_length", "8"), p("bridge", numbered(10, "bridge"), "min_length", "12")},
			nil, "min_length", "8", "deck"},
		{"priority: what the winner does not say", facts.ChoosePriority, []facts.Policy{base,
			p("deck", numbered(20, "deck"), "min_length", "8")}, nil, "history", "unknown", ""},
		{"priority: none matches", facts.ChoosePriority,
			[]facts.Policy{base, p("galley", numbered(1, "galley"), "min_length", "8")}, nil, "min_length", "10", "base"},
		{"priority: through a group", facts.ChoosePriority,
			[]facts.Policy{base, p("crew", numbered(1, "crew"), "min_length", "8")},
			func(a *facts.Account) { a.Groups = []string{"crew"} }, "min_length", "8", "crew"},
		{"priority: an override wins", facts.ChoosePriority,
			[]facts.Policy{base, p("deck", numbered(20, "deck"), "min_length", "8")}, own("min_length", "4"), "min_length",
			"4", "account"},

		{"nearest: the unit itself", facts.ChooseNearest,
			[]facts.Policy{base, p("ships", unit("Ships"), "min_length", "11"),
				p("petrel", unit("Ships/Petrel"), "min_length", "12")}, nil, "min_length", "12", "petrel"},
		{"nearest: inherits setting by setting", facts.ChooseNearest, []facts.Policy{base,
			p("ships", unit("Ships"), "history", "9"), p("petrel", unit("Ships/Petrel"), "min_length", "12")}, nil,
			"history", "9", "ships"},
		{"nearest: up to the default", facts.ChooseNearest,
			[]facts.Policy{base, p("petrel", unit("Ships/Petrel"), "min_length", "12")}, nil, "max_age", "90 days",
			"base"},
		{"nearest: a name that only begins alike", facts.ChooseNearest, []facts.Policy{base,
			p("pet", unit("Ships/Pet"), "min_length", "12")}, nil, "min_length", "10", "base"},
		{"nearest: a tie takes the loosest", facts.ChooseNearest,
			[]facts.Policy{base, p("a", unit("Ships"), "min_length", "12"), p("b", unit("Ships"), "min_length", "8")}, nil,
			"min_length", "8", "b"},
		{"nearest: an unknown unit", facts.ChooseNearest,
			[]facts.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, func(a *facts.Account) { a.Unit = "" },
			"min_length", "10", "base"},

		{"own before role: its own", facts.ChooseOwn, []facts.Policy{base, p("own", nil, "min_length", "6"),
			p("deck", role("deck"), "min_length", "8")}, names("own"), "min_length", "6", "own"},
		{"own before role: the role's", facts.ChooseOwn, []facts.Policy{base, p("deck", role("deck"), "min_length", "8")},
			nil, "min_length", "8", "deck"},
		{"own before role: the loosest of two roles", facts.ChooseOwn, []facts.Policy{base,
			p("deck", role("deck"), "max_age", "60 days"), p("bridge", role("bridge"), "max_age", "never")}, nil, "max_age",
			"never", "bridge"},
		{"own before role: inherits", facts.ChooseOwn, []facts.Policy{base, p("deck", role("deck"), "min_length", "8")},
			nil, "history", "5", "base"},
		{"own before role: a policy that does not exist", facts.ChooseOwn, []facts.Policy{base,
			p("deck", role("deck"), "min_length", "8")}, names("gone"), "min_length", "8", "deck"},
		{"own before role: a mark wins", facts.ChooseOwn,
			[]facts.Policy{base, p("deck", role("deck"), "max_age", "60 days")},
			func(a *facts.Account) { a.NeverExpires = facts.Yes }, "max_age", "never", "account"},

		{"strictest: of all", facts.ChooseStrictest, []facts.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("bridge", role("bridge"), "min_length", "12")}, nil, "min_length", "12", "bridge"},
		{"strictest: never is the weakest age", facts.ChooseStrictest, []facts.Policy{base,
			p("deck", role("deck"), "max_age", "never")}, nil, "max_age", "90 days", "base"},
		{"strictest: one says nothing", facts.ChooseStrictest,
			[]facts.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "history", "5", "base"},
		{"strictest: a tie", facts.ChooseStrictest, []facts.Policy{base, p("deck", role("deck"), "min_length", "10")},
			nil, "min_length", "10", "deck"},
		{"strictest: an override still wins", facts.ChooseStrictest, []facts.Policy{base}, own("min_length", "4"),
			"min_length", "4", "account"},
		{"single: a tie of two defaults' names goes to the first", facts.ChooseSingle,
			[]facts.Policy{base, p("base", nil, "min_length", "20")}, nil, "min_length", "10", "base"},
		{"single: a policy that does not exist changes nothing", facts.ChooseSingle, []facts.Policy{base}, names("gone"),
			"min_length", "10", "base"},
		{"assigned: a tie of two names goes to the first", facts.ChooseAssigned,
			[]facts.Policy{p("own", nil, "min_length", "6"), p("own", nil, "min_length", "7")}, names("own"), "min_length",
			"6", "own"},
		{"priority: inherits from its parent", facts.ChoosePriority, []facts.Policy{base,
			p("deck", func(x *facts.Policy) { x.Roles, x.Parent = []string{"deck"}, "base" }, "min_length", "8")}, nil,
			"history", "5", "base"},
		{"priority: a policy that does not exist changes nothing", facts.ChoosePriority,
			[]facts.Policy{base, p("deck", numbered(1, "deck"), "min_length", "8")}, names("gone"), "min_length", "8",
			"deck"},
		{"nearest: nothing says it", facts.ChooseNearest,
			[]facts.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, nil, "max_run", "unknown", ""},
		{"nearest: an override wins", facts.ChooseNearest,
			[]facts.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, own("min_length", "5"), "min_length", "5",
			"account"},
		{"nearest: a policy that does not exist changes nothing", facts.ChooseNearest,
			[]facts.Policy{base, p("ships", unit("Ships"), "min_length", "12")}, names("gone"), "min_length", "12",
			"ships"},
		{"own before role: a tie of two roles", facts.ChooseOwn,
			[]facts.Policy{base, p("deck", role("deck"), "min_length", "8"), p("bridge", role("bridge"), "min_length",
				"8")}, nil, "min_length", "8", "deck"},
		{"own before role: nothing says it", facts.ChooseOwn,
			[]facts.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "max_run", "unknown", ""},
		{"strictest: nothing says it", facts.ChooseStrictest,
			[]facts.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "max_run", "unknown", ""},
		{"strictest: inherits from its parent", facts.ChooseStrictest, []facts.Policy{base,
			p("deck", func(x *facts.Policy) { x.Roles, x.Parent = []string{"deck"}, "above" }),
			p("above", nil, "min_length", "30")}, nil, "min_length", "30", "above"},
		{"strictest: a policy that does not exist changes nothing", facts.ChooseStrictest, []facts.Policy{base},
			names("gone"), "min_length", "10", "base"},
		{"loosest: a tie", facts.ChooseLoosest, []facts.Policy{base, p("deck", role("deck"), "min_length", "10")}, nil,
			"min_length", "10", "deck"},
		{"loosest: nothing says it", facts.ChooseLoosest,
			[]facts.Policy{base, p("deck", role("deck"), "min_length", "8")}, nil, "max_run", "unknown", ""},
		{"loosest: an override wins", facts.ChooseLoosest,
			[]facts.Policy{base, p("deck", role("deck"), "min_length", "8")}, own("min_length", "20"), "min_length", "20",
			"account"},
		{"loosest: inherits from its parent", facts.ChooseLoosest, []facts.Policy{base,
			p("deck", func(x *facts.Policy) { x.Roles, x.Parent = []string{"deck"}, "above" }),
			p("above", nil, "history", "2")}, nil, "history", "2", "above"},
		{"loosest: of all", facts.ChooseLoosest, []facts.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("bridge", role("bridge"), "min_length", "12")}, nil, "min_length", "8", "deck"},
		{"loosest: never is the loosest age", facts.ChooseLoosest, []facts.Policy{base,
			p("deck", role("deck"), "max_age", "never")}, nil, "max_age", "never", "deck"},
		{"loosest: a policy that does not exist", facts.ChooseLoosest, []facts.Policy{base}, names("gone"), "min_length", "10", "base"},
		{"order: a unit before a role", "own, unit, role, default", []facts.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("quay", unit("Ships"), "min_length", "12")}, nil, "min_length", "12", "quay"},
		{"order: a role before a unit", "role, unit, default", []facts.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("quay", unit("Ships"), "min_length", "12")}, nil, "min_length", "8", "deck"},
		{"order: the loosest of several roles", "own, role", []facts.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("bridge", role("bridge"), "min_length", "12")}, nil, "min_length", "8", "deck"},
		{"order: the strictest of several roles", "unit, strictest role", []facts.Policy{base, p("deck", role("deck"), "min_length", "8"),
			p("bridge", role("bridge"), "min_length", "12")}, nil, "min_length", "12", "bridge"},
		{"order: the account's own last", "default, own", []facts.Policy{base, p("mine", nil, "min_length", "20", "history", "3")},
			names("mine"), "min_length", "10", "base"},
		{"order: what the first does not say", "default, own", []facts.Policy{base, p("mine", nil, "max_run", "3")},
			names("mine"), "max_run", "3", "mine"},
		{"order: without a default", "own, role", []facts.Policy{base}, nil, "min_length", "unknown", ""},
	} {
		system := &facts.System{Name: "x", Chooses: c.chooses, Policies: c.policies, Default: "base"}
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
		if !c.chooses.Valid() {
			t.Errorf("%s: %q is no way to choose", c.what, c.chooses)
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
	at := func(text string) facts.Moment {
		for _, layout := range []string{"2006-01-02 15:04", "2006-01-02"} {
			if m, err := parse(layout, text); err == nil {
				return m
			}
		}
		t.Fatal(text)
		return facts.Moment{}
	}
	policy := p("base", nil, "max_age", "3 months", "min_age", "1 day", "warn_before", "10 days", "grace_period", "30 days")
	for _, c := range []struct {
		what            string
		change          func(*facts.Account)
		expires, warned string
		overdue, shut   facts.Tri
	}{
		{"to the very minute", func(a *facts.Account) { a.PasswordSet = at("2026-08-23 06:00") }, "2026-11-23 06:00",
			"2026-11-13 06:00", facts.No, facts.No},
		{"a minute more", func(a *facts.Account) { a.PasswordSet = at("2026-08-23 05:59") }, "2026-11-23 05:59",
			"2026-11-13 05:59", facts.Yes, facts.No},
		{"a day is good to its end", func(a *facts.Account) { a.PasswordSet = at("2026-08-23") }, "2026-11-23",
			"2026-11-13", facts.No, facts.No},
		{"past the grace", func(a *facts.Account) { a.PasswordSet = at("2026-07-20 00:00") }, "2026-10-20 00:00",
			"2026-10-10 00:00", facts.Yes, facts.Yes},
		{"no date", func(*facts.Account) {}, "unknown", "unknown", facts.Unknown, facts.Unknown},
		{"a mark", func(a *facts.Account) { a.NeverExpires = facts.Yes }, "never", "never", facts.No, facts.No},
		{"the export says it", func(a *facts.Account) { a.PasswordExpires = facts.Never }, "never", "never", facts.No, facts.No},
	} {
		system := &facts.System{Name: "x", Chooses: facts.ChooseSingle, Policies: []facts.Policy{policy}, Default: "base"}
		asOf, _ := at("2026-11-23 06:00").Time()
		system.AsOf = asOf
		a := account(c.change)
		var d facts.Derived
		DatesOf(&d, a, NewResolver(system).For(a), system, 0)
		if d.Expires.String() != c.expires || d.WarnedFrom.String() != c.warned || d.Overdue != c.overdue || d.Shut != c.shut {
			t.Errorf("%s: expires %s, warned %s, overdue %s, shut %s", c.what, d.Expires, d.WarnedFrom, d.Overdue, d.Shut)
		}
	}
}

func parse(layout, text string) (facts.Moment, error) {
	t, err := time.Parse(layout, text)
	if layout == time.DateOnly {
		return facts.OnDay(t), err
	}
	return facts.At(t), err
}

// benchmark: a million accounts over 20 policies, chosen by role.
func BenchmarkFor(b *testing.B) {
	var policies []facts.Policy
	for i := range 20 {
		policies = append(policies, p(fmt.Sprint("role", i), role(fmt.Sprint("role", i)), "min_length", fmt.Sprint(8+i)))
	}
	policies = append(policies, p("base", nil, "max_age", "90 days"))
	r := NewResolver(&facts.System{Name: "x", Chooses: facts.ChooseOwn, Policies: policies, Default: "base"})
	accounts := make([]facts.Account, 20)
	for i := range accounts {
		accounts[i] = facts.Account{Login: "a", Roles: []string{fmt.Sprint("role", i)}}
	}
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		r.For(&accounts[i%len(accounts)])
	}
}

// TestShut: an overdue account is shut once its grace sign-ins are used up, or
// its grace period is over; never where there is none.
func TestShut(t *testing.T) {
	asOf := time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		settings []string
		used     facts.Counted
		want     facts.Tri
	}{
		{[]string{"grace_signins", "3"}, facts.CountOf(2), facts.No},
		{[]string{"grace_signins", "3"}, facts.CountOf(3), facts.Yes},
		{[]string{"grace_signins", "0"}, facts.CountOf(0), facts.Yes},
		{[]string{"grace_signins", "3"}, facts.Counted{}, facts.Unknown},
		{[]string{"grace_period", "never"}, facts.Counted{}, facts.No},
		{[]string{"grace_period", "1 day"}, facts.Counted{}, facts.Yes},
		{[]string{"grace_period", "1 year"}, facts.Counted{}, facts.No},
		{nil, facts.Counted{}, facts.Unknown},
	} {
		policy := p("base", nil, append([]string{"max_age", "90 days"}, c.settings...)...)
		system := &facts.System{AsOf: asOf, Chooses: facts.ChooseSingle, Policies: []facts.Policy{policy}, Default: "base"}
		a := &facts.Account{PasswordSet: facts.At(asOf.AddDate(0, 0, -100)), GraceUsed: c.used}
		var d facts.Derived
		DatesOf(&d, a, NewResolver(system).For(a), system, 0)
		if d.Overdue != facts.Yes || d.Shut != c.want {
			t.Errorf("%v, %v used: overdue %s, shut %s", c.settings, c.used, d.Overdue, d.Shut)
		}
	}
	policy := p("base", nil, "max_age", "90 days", "grace_period", "1 year")
	system := &facts.System{AsOf: asOf, Chooses: facts.ChooseSingle, Policies: []facts.Policy{policy}, Default: "base"}
	a := &facts.Account{PasswordSet: facts.At(asOf.AddDate(0, 0, -100)), ShutAtEnd: true}
	var d facts.Derived
	DatesOf(&d, a, NewResolver(system).For(a), system, 0)
	if d.Shut != facts.Yes || d.ShutAt != d.Expires {
		t.Errorf("without a grace: shut %s, at %s", d.Shut, d.ShutAt)
	}
}

// TestOlder: a password of the very second of a change is not older than it.
func TestOlder(t *testing.T) {
	const changed = 1_000_000
	for set, want := range map[int64]facts.Tri{changed - 1: facts.Yes, changed: facts.No, changed + 1: facts.No} {
		policy := p("base", func(p *facts.Policy) { p.Changed = facts.AtSecond(changed) }, "max_age", "90 days")
		system := &facts.System{Chooses: facts.ChooseSingle, Policies: []facts.Policy{policy}, Default: "base"}
		a := &facts.Account{PasswordSet: facts.AtSecond(set)}
		var d facts.Derived
		DatesOf(&d, a, NewResolver(system).For(a), system, changed)
		if d.OlderPolicy != want || d.OlderRules != want {
			t.Errorf("%d seconds after: older than the policy %s, than the rules %s", set-changed, d.OlderPolicy, d.OlderRules)
		}
	}
}

// TestSettleLock: a lock of which only the begin is known holds for the
// duration that is in force, and is over at the second of its end.
func TestSettleLock(t *testing.T) {
	asOf := time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		duration string
		ago      time.Duration
		want     facts.Tri
		longest  string
	}{
		{"1 hour", time.Hour - time.Second, facts.Yes, ""}, {"1 hour", time.Hour, facts.No, ""}, {"1 hour", 2 * time.Hour, facts.No, ""},
		{"until unlocked", 999 * time.Hour, facts.Yes, ""}, {"", time.Minute, facts.Unknown, ""},
		{"1 hour", time.Hour, facts.No, "none"}, {"1 hour", 59 * time.Minute, facts.Yes, "1 day"}, // the first, which is the shortest
		{"1 hour", time.Hour, facts.Unknown, "1 day"}, {"1 hour", time.Hour, facts.Unknown, "until unlocked"},
	} {
		values := []string{"lockout_attempts", "3"}
		if c.duration != "" {
			values = append(values, "lockout_duration", c.duration)
		}
		if c.longest != "" {
			values = append(values, "lockout_longest", c.longest)
		}
		system := &facts.System{AsOf: asOf, Chooses: facts.ChooseSingle,
			Policies: []facts.Policy{p("base", nil, values...)}, Default: "base"}
		a := &facts.Account{LockedSince: facts.At(asOf.Add(-c.ago))}
		if SettleLock(a, NewResolver(system).For(a), system); a.Locked != c.want {
			t.Errorf("locked for %s, %s ago: %s", c.duration, c.ago, a.Locked)
		}
	}
}

// TestUsedAfter: nobody is accused of a sign-in that was right at its time.
func TestUsedAfter(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 9, n, 0, 0, 0, 0, time.UTC) }
	at := func(n, hour int) facts.Moment { return facts.At(day(n).Add(time.Duration(hour) * time.Hour)) }
	set := facts.At(day(1).AddDate(0, 0, -90)) // so that it ends on the first
	for _, c := range []struct {
		what    string
		changed facts.Moment
		change  func(*facts.Account)
		want    facts.Tri
	}{
		{"after the end, under the same policy", at(1, -900), func(a *facts.Account) { a.LastSignIn = at(5, 0) }, facts.Yes},
		{"before the end", at(1, -900), func(a *facts.Account) { a.LastSignIn = at(1, -1) }, facts.No},
		{"at its very second", at(1, -900), func(a *facts.Account) { a.LastSignIn = at(1, 0) }, facts.No},
		{"before the policy had that age", at(9, 0), func(a *facts.Account) { a.LastSignIn = at(5, 0) }, facts.Unknown},
		{"nobody knows since when it has", facts.Moment{}, func(a *facts.Account) { a.LastSignIn = at(5, 0) }, facts.Unknown},
		{"with grace", at(1, -900), func(a *facts.Account) { a.LastSignIn, a.GraceUsed = at(5, 0), facts.CountOf(1) }, facts.No},
		{"the export says the end", facts.Moment{},
			func(a *facts.Account) { a.LastSignIn, a.PasswordExpires = at(5, 0), at(4, 0) }, facts.Yes},
		{"on the last day", facts.Moment{}, func(a *facts.Account) {
			a.LastSignIn, a.PasswordExpires = at(4, 23),
				facts.OnDay(day(4))
		}, facts.No},
		{"the day after", facts.Moment{}, func(a *facts.Account) {
			a.LastSignIn, a.PasswordExpires = at(5, 1),
				facts.OnDay(day(4))
		}, facts.Yes},
		{"both on a day", facts.Moment{}, func(a *facts.Account) {
			a.LastSignIn, a.PasswordExpires = facts.OnDay(day(4)),
				facts.OnDay(day(4))
		}, facts.No},
		{"never used", at(1, -900), func(a *facts.Account) { a.LastSignIn = facts.Never }, facts.No},
		{"not known", at(1, -900), func(*facts.Account) {}, facts.Unknown},
		{"an age of its own", at(1, -900), func(a *facts.Account) {
			a.LastSignIn = at(5, 0)
			a.Override(setting.MaxAge, setting.Days(90), facts.Origin{})
		}, facts.Unknown},
	} {
		policy := p("base", func(p *facts.Policy) { p.Changed = c.changed }, "max_age", "90 days", "grace_signins", "0")
		system := &facts.System{AsOf: day(20), Chooses: facts.ChooseSingle, Policies: []facts.Policy{policy}, Default: "base"}
		a := &facts.Account{PasswordSet: set}
		c.change(a)
		var d facts.Derived
		if DatesOf(&d, a, NewResolver(system).For(a), system, 0); d.UsedAfter != c.want {
			t.Errorf("%s: %s", c.what, d.UsedAfter)
		}
	}
}

// TestChosenAmong: what a system chooses out of several comes first, the others
// stand in the trail behind it, and the system's own comes last.
func TestChosenAmong(t *testing.T) {
	system := &facts.System{Chooses: facts.ChooseAssigned, Default: "domain", WhyFirst: "the lowest precedence",
		Policies: []facts.Policy{p("domain", nil, "min_length", "7"), p("near", nil, "min_length", "10"),
			p("far", nil, "min_length", "20")}}
	s := NewResolver(system).For(account(func(a *facts.Account) { a.Policy, a.Reaching = "near", []string{"far"} }))
	got := s.Get(setting.MinLength)
	var trail []string
	for _, c := range got.Trail {
		trail = append(trail, fmt.Sprintf("%s %s: %s", c.Policy, setting.At(setting.MinLength).Text(c.Value), c.Why))
	}
	want := `[near 10: the lowest precedence far 20: the policy "near" comes first domain 7: the policy "near" comes first]`
	if fmt.Sprint(trail) != want {
		t.Errorf("%v", trail)
	}
	alone := NewResolver(system).For(account(nil)).Get(setting.MinLength)
	if alone.From == nil || alone.From.Policy != "domain" || alone.From.Why != "the system's own, since no other reaches the account" {
		t.Errorf("%+v", alone.From)
	}
}

// TestNoPolicy: where none reaches an account, or the one that it names does not
// exist, what the system does without one holds; nothing where that is not known.
func TestNoPolicy(t *testing.T) {
	none := p("no policy", nil, "min_length", "none")
	for _, c := range []struct {
		policy  string
		none    *facts.Policy
		want    string
		missing string
	}{
		{"", &none, "none", ""}, {"gone", &none, "none", "gone"}, {"no policy", &none, "none", ""}, {"staff", &none, "12", ""},
		{"", nil, "unknown", ""}, {"gone", nil, "unknown", "gone"},
	} {
		system := &facts.System{Chooses: facts.ChooseAssigned, NoPolicy: c.none,
			Policies: []facts.Policy{p("staff", nil, "min_length", "12")}}
		s := NewResolver(system).For(account(func(a *facts.Account) { a.Policy = c.policy }))
		got := setting.At(setting.MinLength).Text(s.Get(setting.MinLength).Value)
		if got != c.want || s.Missing != c.missing || c.policy != "staff" && s.PolicyName() != "" {
			t.Errorf("%q: %s, missing %q, policy %q", c.policy, got, s.Missing, s.PolicyName())
		}
	}
}

// TestChangeFirst: a password that must be changed lets in for that, however long
// it is over.
func TestChangeFirst(t *testing.T) {
	system := &facts.System{Chooses: facts.ChooseAssigned, Default: "staff", AsOf: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC),
		Policies: []facts.Policy{p("staff", nil, "max_age", "30 days", "grace_signins", "0")}}
	for must, want := range map[facts.Tri]facts.Tri{facts.Yes: facts.No, facts.No: facts.Yes, facts.Unknown: facts.Unknown} {
		a := account(func(a *facts.Account) {
			a.PasswordSet, a.GraceUsed = facts.At(system.AsOf.AddDate(0, -3, 0)), facts.CountOf(0)
			a.MustChange, a.ChangeFirst = must, true
		})
		var d facts.Derived
		if DatesOf(&d, a, NewResolver(system).For(a), system, 0); d.Shut != want {
			t.Errorf("must change %s: shut %s", must, d.Shut)
		}
	}
}
