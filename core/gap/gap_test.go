package gap

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"runtime"
	"slices"
	"strings"
	"testing"

	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/core/setting/settingtest"
)

// profile makes one of a system whose people fall under policies, each with so
// many accounts.
func profile(t testing.TB, name string, policies ...map[string]string) *Profile {
	t.Helper()
	p := NewProfile(name)
	for i, values := range policies {
		system := &facts.System{Name: name, Chooses: facts.ChooseSingle, Default: "p", Policies: []facts.Policy{{Name: "p"}}}
		accounts := 1
		for key, text := range values {
			if key == "accounts" {
				_, _ = fmt.Sscan(text, &accounts)
				continue
			}
			system.Policies[0].Set(settingtest.ID(key), settingtest.Value(key, text), facts.Origin{File: name, Line: i + 1})
		}
		p.Add(People, effective.NewResolver(system).For(&facts.Account{}), accounts)
	}
	return p
}

func rowOf(rows []Row, name string) *Row {
	return &rows[slices.IndexFunc(rows, func(r Row) bool { return r.Setting.Name == name })]
}

// marks writes a row as "4 2/3 -!".
func marks(r *Row) string {
	var cells []string
	for i := range r.Cells {
		c := &r.Cells[i]
		text := r.Setting.Text(c.Value)
		if c.None {
			text = "nobody"
		} else if c.Mixed() {
			text += fmt.Sprintf(" %d/%d", c.Accounts, c.Of)
		}
		for mark, on := range map[string]bool{"!": c.Below} {
			if on {
				text += mark
			}
		}
		if c.Strictest {
			text += "+"
		}
		if c.Loosest {
			text += "-"
		}
		if c.Odd {
			text += "~"
		}
		cells = append(cells, text)
	}
	return strings.Join(cells, "; ")
}

// TestCompare: the weakest for each system, with what it is among the others.
func TestCompare(t *testing.T) {
	profiles := []*Profile{
		profile(t, "a", map[string]string{"min_length": "12", "max_age": "90 days", "self_change": "yes", "accounts": "20"},
			map[string]string{"min_length": "8", "max_age": "never", "accounts": "3"}),
		profile(t, "b", map[string]string{"min_length": "12", "max_age": "3 months", "self_change": "no"}),
		profile(t, "c", map[string]string{"min_length": "12", "lockout_attempts": "5"}),
		profile(t, "d", map[string]string{"min_length": "none", "max_age": "3 months", "self_change": "yes", "lockout_attempts": "5"}),
		NewProfile("e"),
	}
	rows := Compare(profiles, People,
		func(system, name string, v setting.Value) bool { return name == "min_length" && system != "b" })
	for name, want := range map[string]string{
		"min_length":       "8 3/23!; 12+; 12!+; none!-; nobody",
		"max_age":          "never 3/23-~; 3 months+; unknown; 3 months+; nobody",
		"self_change":      "yes 20/23; no~; unknown; yes; nobody",
		"lockout_attempts": "unknown; unknown; 5; 5; nobody",
		"history":          "unknown; unknown; unknown; unknown; nobody",
	} {
		r := rowOf(rows, name)
		if got := marks(r); got != want {
			t.Errorf("%s: %s, expected %s", name, got, want)
		}
		if differs := strings.Contains(want, "-") || name == "self_change"; r.Differs != differs {
			t.Errorf("%s differs: %v", name, r.Differs)
		}
	}
	if c := rowOf(rows, "self_change").Cells[0]; c.Unknown != 3 {
		t.Errorf("%+v", c)
	}
}

// randomProfiles are systems with settings at random.
func randomProfiles(t *testing.T, r *rand.Rand, n int) []*Profile {
	values := map[string][]string{"min_length": {"none", "8", "12", "14"},
		"max_age": {"never", "90 days", "3 months", "1 year"}, "lockout_attempts": {"never", "3", "5"},
		"second_factor": {"off", "optional", "everyone"}, "self_change": {"yes", "no"}, "max_length": {"none", "8", "64"}}
	var list []*Profile
	for i := range n {
		var policies []map[string]string
		for range 1 + r.IntN(3) {
			p := map[string]string{"accounts": fmt.Sprint(1 + r.IntN(9))}
			for name, texts := range values {
				if k := r.IntN(len(texts) + 1); k > 0 {
					p[name] = texts[k-1]
				}
			}
			policies = append(policies, p)
		}
		list = append(list, profile(t, fmt.Sprint("s", i), policies...))
	}
	return list
}

// TestOrderOfSystems: putting systems in another order changes nothing but the
// order.
func TestOrderOfSystems(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 60 {
		profiles := randomProfiles(t, r, 2+r.IntN(5))
		order := r.Perm(len(profiles))
		var shuffled []*Profile
		for _, i := range order {
			shuffled = append(shuffled, profiles[i])
		}
		before := Compare(profiles, People, nil)
		after := Compare(shuffled, People, nil)
		for i := range before {
			if before[i].Differs != after[i].Differs {
				t.Fatalf("%s differs: %v and %v", before[i].Setting.Name, before[i].Differs, after[i].Differs)
			}
			for k, from := range order {
				if before[i].Cells[from] != after[i].Cells[k] {
					t.Fatalf("%s: %+v and %+v", before[i].Setting.Name, before[i].Cells[from], after[i].Cells[k])
				}
			}
		}
	}
}

// TestAnotherSystemRemovesNothing: a gap between two systems stays, whatever
// other systems are looked at, and so does what a link says.
func TestAnotherSystemRemovesNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	for range 60 {
		profiles := randomProfiles(t, r, 5)
		two := Compare(profiles[:2], People, nil)
		for n := 3; n <= 5; n++ {
			more := Compare(profiles[:n], People, nil)
			for i := range two {
				if two[i].Differs && !more[i].Differs {
					t.Fatalf("%s no longer differs among %d", two[i].Setting.Name, n)
				}
				for k := range 2 {
					if two[i].Cells[k].Value != more[i].Cells[k].Value || two[i].Cells[k].Accounts != more[i].Cells[k].Accounts {
						t.Fatalf("%s: %+v and %+v", two[i].Setting.Name, two[i].Cells[k], more[i].Cells[k])
					}
					if !two[i].Cells[k].Loosest && more[i].Cells[k].Loosest && two[i].Differs {
						t.Fatalf("%s of %s becomes the loosest among more", two[i].Setting.Name, two[i].Cells[k].System)
					}
				}
			}
		}
	}
}

// TestMergeIsAnyWayTheSame: parts of a system's accounts add up to the same
// profile whatever their order.
func TestMergeIsAnyWayTheSame(t *testing.T) {
	one := map[string]string{"min_length": "8", "accounts": "3"}
	two := map[string]string{"min_length": "12", "lockout_attempts": "never", "accounts": "5"}
	whole := profile(t, "a", one, two)
	a, b := profile(t, "a", one), profile(t, "a", two)
	b.Merge(a)
	for id := range setting.Len {
		x, y := whole.Weakest(People, setting.ID(id)), b.Weakest(People, setting.ID(id))
		x.Origin, y.Origin = facts.Origin{}, facts.Origin{}
		if x != y {
			t.Errorf("%s: %+v and %+v", setting.At(setting.ID(id)).Name, x, y)
		}
	}
	if g := b.Guesses(People); g == nil || !math.IsInf(whole.Guesses(People).PerDay, 1) || *g != *whole.Guesses(People) {
		t.Errorf("%+v, %+v", g, whole.Guesses(People))
	}
}

// TestGuesses against figures worked out by hand.
func TestGuesses(t *testing.T) {
	for _, c := range []struct {
		attempts, window, duration, delay, age string
		perDay, overLife                       float64
		known                                  bool
	}{
		{"5", "15 minutes", "15 minutes", "none", "90 days", 480, 43200, true},  // 5 in each quarter of an hour: 96 a day
		{"5", "15 minutes", "1 hour", "none", "90 days", 384, 34560, true},      // 4 below the threshold in each quarter
		{"10", "1 minute", "30 minutes", "none", "never", 12960, 4730400, true}, // 9 a minute, for a year
		{"3", "never", "10 minutes", "none", "100 days", 432, 43200, true},      // 3 in each lock
		{"6", "never", "until unlocked", "none", "90 days", 0, 6, true},         // and that was it
		{"never", "", "", "2 seconds", "10 days", 43200, 432000, true},
		{"never", "", "", "none", "10 days", math.Inf(1), math.Inf(1), true},
		{"never", "", "", "", "10 days", math.Inf(1), math.Inf(1), true},
		{"5", "15 minutes", "none", "none", "1 day", math.Inf(1), math.Inf(1), true},
		{"", "15 minutes", "15 minutes", "none", "90 days", 0, 0, false},
		{"5", "", "15 minutes", "none", "90 days", 0, 0, false},
		{"5", "15 minutes", "", "none", "90 days", 0, 0, false},
	} {
		g := GuessesOf(func(id setting.ID) setting.Value {
			text := map[string]string{"lockout_attempts": c.attempts, "lockout_window": c.window,
				"lockout_duration": c.duration, "failure_delay": c.delay, "max_age": c.age}[id.String()]
			if text == "" {
				return setting.Value{}
			}
			return settingtest.Value(id.String(), text)
		})
		if g.Known != c.known || c.known && (g.PerDay != c.perDay || g.OverLife() != c.overLife) {
			t.Errorf("%+v: %v a day, %v over its life, known %v", c, g.PerDay, g.OverLife(), g.Known)
		}
		if g.Arithmetic() == "" {
			t.Errorf("%+v: no arithmetic", c)
		}
	}
}

// TestLinks: what linked systems have unlike, who locks first, and whether one
// password serves both.
func TestLinks(t *testing.T) {
	same := []setting.ID{setting.LockoutAttempts, setting.LockoutWindow}
	for _, c := range []struct {
		a, b map[string]string
		want string
	}{
		{map[string]string{"lockout_attempts": "5", "lockout_window": "15 minutes"},
			map[string]string{"lockout_attempts": "5", "lockout_window": "900 seconds"}, "agree"},
		{map[string]string{"lockout_attempts": "5", "lockout_window": "15 minutes"},
			map[string]string{"lockout_attempts": "3"},
			"lockout_attempts; unknown lockout_window; b locks after 3 failures and a after 5: whoever fails 3 times is " +
				"locked out by b while a still answers"},
		{map[string]string{"lockout_attempts": "never"}, map[string]string{"lockout_attempts": "8"},
			"lockout_attempts; unknown lockout_window; b locks after 8 failures and a never: whoever fails 8 times is " +
				"locked out by b while a still answers"},
		{map[string]string{"lockout_attempts": "5", "min_length": "15"}, map[string]string{"lockout_attempts": "5",
			"max_length": "8"}, "unknown lockout_window; a has min_length 15, b has max_length 8"},
		{map[string]string{"lockout_attempts": "5", "max_age": "90 days", "history": "3"},
			map[string]string{"lockout_attempts": "5", "max_age": "never", "history": "12"},
			"unknown lockout_window; the shorter life wins: a ends the password after 90 days, and what b allows (never) is " +
				"never reached; the longer history is useless: b bars the last 12, and a, where the same password can be set, " +
				"the last 3"},
	} {
		l := Link{Between: [2]string{"a", "b"}, Same: same, Shared: true}
		r := l.Check([2]*Profile{profile(t, "a", c.a), profile(t, "b", c.b)})
		var said []string
		for _, u := range r.Unequal {
			said = append(said, u.ID.String())
		}
		for _, u := range r.Open {
			said = append(said, "unknown "+u.ID.String())
		}
		if r.Locks != "" {
			said = append(said, r.Locks)
		}
		for _, set := range r.Collide {
			var parts []string
			for _, claim := range set {
				parts = append(parts, claim.System+" has "+claim.Setting.String()+" "+
					setting.At(claim.Setting).Text(claim.Value))
			}
			said = append(said, strings.Join(parts, ", "))
		}
		said = append(said, r.Ages...)
		got := strings.Join(said, "; ")
		if got == "" && r.Agrees() {
			got = "agree"
		}
		if got != c.want {
			t.Errorf("%v, %v:\n%s, expected\n%s", c.a, c.b, got, c.want)
		}
		if back := l.Check([2]*Profile{profile(t, "a", c.b),
			profile(t, "b", c.a)}); len(back.Unequal) != len(r.Unequal) || len(back.Collide) != len(r.Collide) ||
			len(back.Ages) != len(r.Ages) {
			t.Errorf("%v, %v: the other way round it says something else", c.a, c.b)
		}
	}
}

// person is what the slow way finds.
type person struct {
	facts  []uint8
	firsts map[string]bool
}

// TestRegisterAgreesWithASlowWay: people are matched as by joining lists of
// accounts again and again, whatever the order.
func TestRegisterAgreesWithASlowWay(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 200 {
		const systems = 3
		var accounts []facts.Account
		var on []int
		for range 3 + r.IntN(12) {
			a := facts.Account{Login: fmt.Sprint("l", r.IntN(9))}
			if r.IntN(3) > 0 {
				a.EmployeeNo = fmt.Sprint("00", 1+r.IntN(5))
			}
			if r.IntN(3) > 0 {
				a.Email = []string{"X%d@a.example", " x%d@A.example "}[r.IntN(2)]
				a.Email = fmt.Sprintf(a.Email, r.IntN(6))
			}
			accounts, on = append(accounts, a), append(on, r.IntN(systems))
		}
		keys := func(a *facts.Account) (list []string) {
			if n := strings.TrimLeft(a.EmployeeNo, "0"); n != "" {
				list = append(list, "e"+n)
			}
			if a.Email != "" {
				list = append(list, "m"+strings.ToLower(strings.TrimSpace(a.Email)))
			}
			return list
		}
		// The slow way: groups of keys, joined until nothing changes.
		groups := map[string]int{}
		for i := range accounts {
			for _, k := range keys(&accounts[i]) {
				if _, ok := groups[k]; !ok {
					groups[k] = len(groups)
				}
			}
		}
		for changed := true; changed; {
			changed = false
			for i := range accounts {
				list := keys(&accounts[i])
				for _, k := range list {
					if g := min(groups[list[0]], groups[k]); groups[k] != g || groups[list[0]] != g {
						groups[k], groups[list[0]], changed = g, g, true
					}
				}
			}
		}
		people := map[int]*person{}
		for i := range accounts {
			list := keys(&accounts[i])
			if len(list) == 0 {
				continue
			}
			p := people[groups[list[0]]]
			if p == nil {
				p = &person{facts: make([]uint8, systems), firsts: map[string]bool{}}
				people[groups[list[0]]] = p
			}
			p.facts[on[i]] |= Present | uint8(i%2)*Enabled
			for _, k := range list {
				if k[0] == 'e' {
					p.firsts[k] = true
				}
			}
		}
		for range 3 {
			reg := NewRegister([]string{ByEmployeeNo, ByEmail}, systems)
			entered := make([]Found, len(accounts))
			for _, i := range r.Perm(len(accounts)) {
				batch := []Entry{reg.Entry(&accounts[i], on[i], uint8(i%2)*Enabled, [3]bool{})}
				reg.Enter(batch)
				entered[i] = batch[0].Found()
			}
			reg.Close()
			for i := range accounts {
				e := reg.Entry(&accounts[i], on[i], 0, [3]bool{})
				got, known := reg.Of(&e, nil)
				if noted, same := reg.At(entered[i], nil); same != known || !reflect.DeepEqual(noted, got) {
					t.Fatalf("%+v: %+v as it was entered, %+v by its keys", accounts[i], noted, got)
				}
				list := keys(&accounts[i])
				if known != (len(list) > 0) {
					t.Fatalf("%+v: known %v", accounts[i], known)
				}
				if !known {
					continue
				}
				want := people[groups[list[0]]]
				if !slices.Equal(got.Facts, want.facts) || got.Ambiguous != (len(want.firsts) > 1) {
					t.Fatalf("%+v: %v, ambiguous %v; expected %v, %v", accounts[i], got.Facts, got.Ambiguous, want.facts, want.firsts)
				}
			}
			count := 0
			reg.Each(func(*Person) { count++ })
			if count != len(people) {
				t.Fatalf("%d people, expected %d", count, len(people))
			}
			for i := range accounts { // a login name of two people is one that two groups have
				e := reg.Entry(&accounts[i], on[i], 0, [3]bool{})
				owners := map[int]bool{}
				for j := range accounts {
					if list := keys(&accounts[j]); accounts[j].Login == accounts[i].Login && len(list) > 0 {
						owners[groups[list[0]]] = true
					}
				}
				if reg.SharedLogin(e.Found()) != (len(owners) > 1) {
					t.Fatalf("%s belongs to %d people, shared %v", accounts[i].Login, len(owners), reg.SharedLogin(e.Found()))
				}
			}
		}
	}
}

// TestMemoryOfTheRegister: eight systems with an account of each person, by
// employee number and e-mail, take at most 100 bytes a person.
func TestMemoryOfTheRegister(t *testing.T) {
	const people, systems = 300000, 8
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	reg := NewRegister([]string{ByEmployeeNo, ByEmail}, systems)
	batch := make([]Entry, 0, 1000)
	for s := range systems {
		for i := range people {
			a := facts.Account{Login: fmt.Sprint("user", i), EmployeeNo: fmt.Sprint(i + 1),
				Email: fmt.Sprintf("user%d@marrowby.example", i)}
			if batch = append(batch, reg.Entry(&a, s, Enabled, [3]bool{})); len(batch) == cap(batch) {
				reg.Enter(batch)
				batch = batch[:0]
			}
		}
	}
	reg.Close()
	runtime.GC()
	runtime.ReadMemStats(&after)
	if each := float64(after.HeapAlloc-before.HeapAlloc) / people; each > 100 {
		t.Errorf("%.0f bytes a person", each)
	} else {
		t.Logf("%.0f bytes a person", each)
	}
	runtime.KeepAlive(reg)
}

// TestTheUnknownBudgetIsTheWorst: among policies of a system, what is not known
// may be more than anything, and no figure of another hides it.
func TestTheUnknownBudgetIsTheWorst(t *testing.T) {
	known := map[string]string{"lockout_attempts": "5", "lockout_window": "1 hour", "lockout_duration": "1 hour", "max_age": "90 days"}
	open := map[string]string{"lockout_window": "1 hour", "lockout_duration": "1 hour", "max_age": "90 days"}
	for _, p := range []*Profile{profile(t, "a", known, open), profile(t, "a", open, known)} {
		if g := p.Guesses(People); g.Known {
			t.Errorf("%v a day", g.PerDay)
		}
	}
}
