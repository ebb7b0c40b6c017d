package audit

import (
	"slices"
	"strings"
	"testing"
	"time"

	"yewcone/core/check"
	"yewcone/core/facts"
	"yewcone/core/facts/factstest"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/setting/settingtest"
)

type fake = factstest.Export

var asOf = time.Date(2026, 11, 20, 6, 0, 0, 0, time.UTC)

func ago(days int) facts.Moment { return facts.At(asOf.AddDate(0, 0, -days)) }

// ordinary is an account on which no check hits.
func ordinary(login string) facts.Account {
	return facts.Account{
		Login: login, Kind: facts.Person, Privileged: facts.No, Enabled: facts.Yes, Locked: facts.No, MustChange: facts.No,
		NeverExpires: facts.No, CannotChange: facts.No, BlankAllowed: facts.No, Blank: facts.No,
		PasswordUsable: facts.Yes, SecondFactor: facts.Yes,
		Created: ago(500), PasswordSet: ago(30), LastSignIn: ago(1), Storage: setting.StoredMemoryHard,
		Origin: facts.Origin{File: "accounts", Line: 1},
	}
}

// sound are settings on which no check hits.
var sound = map[string]string{
	"min_length": "14", "max_length": "none", "history": "8", "min_age": "1 day", "max_age": "180 days",
	"warn_before": "14 days", "grace_period": "10 days",
	"lockout_attempts": "6", "lockout_window": "15 minutes", "lockout_duration": "30 minutes",
	"lockout_covers_admins": "yes", "source_attempts": "50", "source_window": "1 hour",
	"change_at_first_use": "yes", "self_change": "yes", "storage": "memory-hard", "second_factor": "everyone", "min_classes": "3",
}

func policy(t *testing.T, name string, values ...map[string]string) facts.Policy {
	t.Helper()
	p := facts.Policy{Name: name, Origin: facts.Origin{File: "policies", Line: 1}}
	for _, set := range values {
		for key, text := range set {
			p.Set(settingtest.ID(key), settingtest.Value(key, text), facts.Origin{File: "policies", Line: 2, Text: key})
		}
	}
	return p
}

// run checks a system and returns the rules of what was found.
func run(t *testing.T, f *fake, sets ...*rules.Set) []string {
	t.Helper()
	f.Of.AsOf = asOf
	r, err := Run("test", []Subject{{Export: f, Rules: sets}}, Options{Examples: 5})
	if err != nil {
		t.Fatal(err)
	}
	var found []string
	for _, finding := range r.Findings {
		if finding.Sentence == "" || finding.Remedy == "" || finding.Because == "" || len(finding.Fingerprint) != 12 {
			t.Errorf("a finding lacks words: %+v", finding)
		}
		found = append(found, strings.TrimPrefix(finding.Rule.String(), "check/"))
	}
	return found
}

func single(t *testing.T, values map[string]string, accounts ...facts.Account) *fake {
	t.Helper()
	return &fake{Of: &facts.System{Name: "x", Chooses: facts.ChooseSingle, Default: "p",
		Policies: []facts.Policy{policy(t, "p", sound, values)}}, Listed: accounts}
}

func TestOrdinaryIsClean(t *testing.T) {
	if found := run(t, single(t, nil, ordinary("ann"))); len(found) > 0 {
		t.Errorf("found %v", found)
	}
}

// TestEntersUnasked: where a policy lets somebody in without a password, those
// whom a way in does not ask are found, and no others.
func TestEntersUnasked(t *testing.T) {
	for enters, want := range map[facts.Tri]bool{facts.Yes: true, facts.No: false, facts.Unknown: false} {
		a := ordinary("ann")
		a.EntersUnasked = enters
		if found := slices.Contains(run(t, single(t, map[string]string{"blank_allowed": "yes"}, a)), "enters-unasked"); found != want {
			t.Errorf("%s: found %v", enters, found)
		}
	}
}

// TestAccountChecks: each check has an account on which it hits, and a
// neighbour on which it does not.
func TestAccountChecks(t *testing.T) {
	inForce := &rules.Set{Name: "r", InForce: asOf.AddDate(0, 0, -20)}
	for _, c := range []struct {
		id        string
		hit, miss func(a *facts.Account)
	}{
		{"blank", func(a *facts.Account) { a.Blank = facts.Yes }, func(a *facts.Account) { a.Blank, a.Enabled = facts.Yes, facts.No }},
		{"password-is-login", func(a *facts.Account) { a.PasswordIsLogin, a.Storage = facts.Yes, setting.StoredSaltedFast },
			func(a *facts.Account) { a.PasswordIsLogin, a.Storage = facts.No, setting.StoredSaltedFast }},
		{"blank-permitted", func(a *facts.Account) { a.BlankAllowed = facts.Yes },
			func(a *facts.Account) { a.BlankAllowed = facts.Unknown }},
		{"stored-readable", func(a *facts.Account) { a.Storage = setting.StoredReversible },
			func(a *facts.Account) { a.Storage = setting.StoredUnsalted }},
		{"stored-weakly", func(a *facts.Account) { a.Storage = setting.StoredSaltedFast },
			func(a *facts.Account) { a.Storage = setting.StoredSaltedSlow }},
		{"never-expires", func(a *facts.Account) { a.NeverExpires = facts.Yes },
			func(a *facts.Account) { a.NeverExpires, a.Kind = facts.Yes, facts.Service }},
		{"cannot-change", func(a *facts.Account) { a.CannotChange = facts.Yes },
			func(a *facts.Account) { a.CannotChange, a.Kind = facts.Yes, facts.Shared }},
		{"pending", func(a *facts.Account) { a.MustChange, a.PasswordSet = facts.Yes, ago(15) },
			func(a *facts.Account) { a.MustChange, a.PasswordSet = facts.Yes, ago(14) }},
		{"overdue", func(a *facts.Account) { a.PasswordSet = ago(181) }, func(a *facts.Account) { a.PasswordSet = ago(180) }},
		// past the grace: shut
		{"overdue", func(a *facts.Account) { a.PasswordSet = ago(189) }, func(a *facts.Account) { a.PasswordSet = ago(200) }},
		{"expiry-not-enforced", func(a *facts.Account) { a.PasswordExpires, a.LastSignIn = ago(20), ago(3) },
			func(a *facts.Account) { a.PasswordExpires, a.LastSignIn = ago(20), ago(30) }},
		{"older-than-rules", func(a *facts.Account) { a.PasswordSet = ago(21) }, func(a *facts.Account) { a.PasswordSet = ago(19) }},
		{"never-changed", func(a *facts.Account) { a.PasswordSet, a.Created = ago(100), ago(100) },
			func(a *facts.Account) { a.PasswordSet, a.Created = ago(80), ago(80) }},
		{"locked", func(a *facts.Account) { a.Locked = facts.Yes },
			func(a *facts.Account) { a.Locked, a.Enabled = facts.Yes, facts.No }},
		{"locked-service", func(a *facts.Account) { a.Locked, a.Kind = facts.Yes, facts.Service },
			func(a *facts.Account) { a.Kind = facts.Service }},
		{"dormant", func(a *facts.Account) { a.LastSignIn = ago(91) }, func(a *facts.Account) { a.LastSignIn = ago(90) }},
		{"never-signed-in", func(a *facts.Account) { a.LastSignIn = facts.Never },
			func(a *facts.Account) { a.LastSignIn, a.Created = facts.Never, ago(29) }},
		{"single-factor-admin", func(a *facts.Account) { a.Privileged, a.SecondFactor = facts.Yes, facts.No },
			func(a *facts.Account) { a.SecondFactor = facts.No }},
		{"known-name", func(a *facts.Account) { a.Login = "admin" }, func(a *facts.Account) { a.Login = "adminka" }},
		{"known-name", func(a *facts.Account) { a.Login = "admin@localhost" }, func(a *facts.Account) { a.Login = "ann@admin" }},
		{"guest", func(a *facts.Account) { a.Login = "guest" }, func(a *facts.Account) { a.Login, a.Enabled = "guest", facts.No }},
		{"shared", func(a *facts.Account) { a.Kind = facts.Shared },
			func(a *facts.Account) { a.Kind, a.PasswordUsable = facts.Shared, facts.No }},
		{"future", func(a *facts.Account) { a.PasswordSet = ago(-2) }, func(a *facts.Account) { a.PasswordSet = ago(0) }},
	} {
		hit, miss := ordinary("ann"), ordinary("ann")
		c.hit(&hit)
		c.miss(&miss)
		if found := run(t, single(t, nil, hit), inForce); !slices.Contains(found, c.id) {
			t.Errorf("%s does not hit: %v", c.id, found)
		}
		if found := run(t, single(t, nil, miss), inForce); slices.Contains(found, c.id) {
			t.Errorf("%s hits the neighbour", c.id)
		}
	}
}

// TestSettingsChecks: each combination of settings that defeat one another,
// and a neighbour that does not.
func TestSettingsChecks(t *testing.T) {
	type values = map[string]string
	for _, c := range []struct {
		id        string
		hit, miss values
	}{
		{"history-cycled", values{"min_age": "none"}, values{"history": "none", "min_age": "none"}},
		{"history-cycled", values{"history": "6", "min_age": "1 day"}, values{"history": "7", "min_age": "1 day"}},
		{"ages-crossed", values{"min_age": "90 days", "max_age": "90 days"}, values{"min_age": "89 days", "max_age": "90 days"}},
		{"warned-always", values{"warn_before": "180 days"}, values{"warn_before": "179 days"}},
		{"low-ceiling", values{"max_length": "63"}, values{"max_length": "64"}},
		{"ceiling-below-floor", values{"min_length": "10", "max_length": "9"}, values{"min_length": "10", "max_length": "10"}},
		{"ceiling-below-rules", values{"max_length": "15"}, values{"max_length": "16"}},
		{"classes-exceed-length", values{"min_length": "3", "min_digits": "2", "min_upper": "2"},
			values{"min_length": "4", "min_digits": "2", "min_upper": "2"}},
		// 1056 and 960 a day
		{"patient-guessing", values{"lockout_attempts": "12", "lockout_window": "15 minutes"},
			values{"lockout_attempts": "11", "lockout_window": "15 minutes"}},
		{"patient-guessing", values{"lockout_attempts": "5", "lockout_window": "never", "lockout_duration": "5 minutes"},
			values{"lockout_attempts": "5", "lockout_window": "never", "lockout_duration": "until unlocked"}},
		{"patient-guessing", values{"lockout_attempts": "5", "lockout_window": "never", "lockout_duration": "1 minute", "lockout_longest": "5 minutes"},
			values{"lockout_attempts": "5", "lockout_window": "never", "lockout_duration": "1 minute", "lockout_longest": "1 day"}},
		{"admins-not-locked", values{"lockout_covers_admins": "no"}, values{"lockout_covers_admins": "unknown"}},
		{"hair-trigger", values{"lockout_attempts": "2"}, values{"lockout_attempts": "3"}},
		{"source-only", values{"lockout_attempts": "never"}, values{"lockout_attempts": "never", "source_attempts": "never"}},
		{"account-only", values{"source_attempts": "never"}, values{"source_attempts": "unknown"}},
		{"grace-outlives", values{"grace_period": "180 days"}, values{"grace_period": "179 days"}},
		{"forced-and-forbidden", values{"self_change": "no"}, values{"self_change": "no", "change_at_first_use": "no"}},
		{"storage-undeserved", values{"storage": "salted fast"}, values{"storage": "salted slow"}},
	} {
		asks, err := rules.Read("r.yaml", []byte("rules: r\nclauses:\n  - {id: l, expect: {min_length: at least 16}, "+
			"because: b}\n"))
		if err != nil {
			t.Fatal(err)
		}
		if found := run(t, single(t, c.hit, ordinary("ann")), asks); !slices.Contains(found, c.id) {
			t.Errorf("%s does not hit: %v", c.id, found)
		}
		if found := run(t, single(t, c.miss, ordinary("ann")), asks); slices.Contains(found, c.id) {
			t.Errorf("%s hits the neighbour", c.id)
		}
	}
}

// TestFlagAndPolicy: a mark that disagrees with the policy, one that agrees,
// and the same end reached without a mark.
func TestFlagAndPolicy(t *testing.T) {
	marked := ordinary("ann")
	marked.NeverExpires = facts.Yes
	if found := run(t, single(t, nil, marked)); !slices.Contains(found, "flag-and-policy") {
		t.Errorf("a mark against the policy: %v", found)
	}
	if found := run(t, single(t, map[string]string{"max_age": "never"}, marked)); slices.Contains(found, "flag-and-policy") {
		t.Errorf("a mark with the policy: %v", found)
	}
}

// TestSystemChecks looks at policies and at the whole of a system.
func TestSystemChecks(t *testing.T) {
	assigned := func(accounts []facts.Account, policies ...facts.Policy) *fake {
		return &fake{Of: &facts.System{Name: "x", Chooses: facts.ChooseAssigned, Default: "p", Policies: policies},
			Listed: accounts}
	}
	named := func(name string) facts.Account {
		a := ordinary("ann")
		a.Policy = name
		return a
	}
	p, q := policy(t, "p", sound), policy(t, "q", sound)
	two := []facts.Account{named(""), named("q")}
	for _, c := range []struct {
		id        string
		hit, miss *fake
	}{
		{"policy-unused", assigned([]facts.Account{named("")}, p, q), assigned(two, p, q)},
		{"policy-missing", assigned([]facts.Account{named("r")}, p), assigned([]facts.Account{named("q")}, p, q)},
		{"policy-parent-missing", assigned(two, p, with(q, "r")), assigned(two, p, with(q, "p"))},
		{"policy-circle", assigned(two, with(p, "q"), with(q, "p")), assigned(two, p, with(q, "p"))},
		{"policy-circle", assigned(two, with(p, "p"), q), assigned(two, p, q)},
		{"no-policy", &fake{Of: &facts.System{Name: "x", Chooses: facts.ChooseAssigned, Policies: []facts.Policy{q}},
			Listed: two}, assigned(two, p, q)},
		{"policy-without-effect", shadowing(t, "30 days", "60 days"), shadowing(t, "60 days", "30 days")},
		{"expiry-for-nobody", shadowing(t, "60 days", "never"), shadowing(t, "60 days", "60 days")},
		{"second-factor-unused", enrolled(t, facts.No), enrolled(t, facts.Yes)},
		{"second-factor-unused", enrolled(t, facts.No), enrolled(t, facts.Unknown)},
		{"same-stored", stored(t, 7, 7), stored(t, 7, 8)},
		{"same-stored", stored(t, 7, 7), stored(t, 0, 0)},
		{"older-than-policy", changed(t, 29), changed(t, 31)},
	} {
		if found := run(t, c.hit); !slices.Contains(found, c.id) {
			t.Errorf("%s does not hit: %v", c.id, found)
		}
		if found := run(t, c.miss); slices.Contains(found, c.id) {
			t.Errorf("%s hits the neighbour: %v", c.id, found)
		}
	}
}

func with(p facts.Policy, parent string) facts.Policy {
	p.Parent = parent
	return p
}

// shadowing is a system that takes the loosest of its default and a role's
// policy, with these ages.
func shadowing(t *testing.T, role, fallback string) *fake {
	a := ordinary("ann")
	a.Roles, a.RolesKnown = []string{"crew"}, true
	r := policy(t, "role", map[string]string{"max_age": role})
	r.Roles = []string{"crew"}
	return &fake{Of: &facts.System{Name: "x", Chooses: facts.ChooseLoosest, Default: "p",
		Policies: []facts.Policy{policy(t, "p", map[string]string{"max_age": fallback, "min_length": "8"}), r}},
		Listed: []facts.Account{a}}
}

func enrolled(t *testing.T, second facts.Tri) *fake {
	a := ordinary("ann")
	a.SecondFactor = second
	return single(t, map[string]string{"second_factor": "optional"}, a)
}

func stored(t *testing.T, one, other uint64) *fake {
	a, b := ordinary("ann"), ordinary("bo")
	a.StoredMark, b.StoredMark = one, other
	return single(t, nil, a, b)
}

func changed(t *testing.T, days int) *fake {
	f := single(t, nil, ordinary("ann"))
	f.Of.Policies[0].Changed = ago(days)
	return f
}

// TestEveryCheckHasItsWords: no check stands twice or lacks a word.
func TestEveryCheckHasItsWords(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range check.All() {
		if seen[c.ID] || c.Title == "" || c.Doc == "" || c.Remedy == "" || c.Severity == 0 {
			t.Errorf("%s stands twice or lacks words", c.ID)
		}
		seen[c.ID] = true
	}
}
