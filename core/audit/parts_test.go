package audit

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"

	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
)

// divided is an export in parts of uneven size.
type divided struct {
	fake
	done []int // where the parts that are done end
}

func (d *divided) Parts(yield func(facts.Part) error) error {
	for from, size := 0, 1; from < len(d.Listed); from, size = from+size, size*2%37+1 {
		if err := yield(&dividedPart{d, from, min(from+size, len(d.Listed))}); err != nil {
			return err
		}
	}
	return nil
}

type dividedPart struct {
	whole    *divided
	from, to int
}

func (p *dividedPart) Accounts(yield func(*facts.Account) error) error {
	part := fake{Listed: p.whole.Listed[p.from:p.to]}
	return part.Accounts(yield)
}

func (p *dividedPart) Done() { p.whole.done = append(p.whole.done, p.to) }

// mixture makes accounts that differ in everything that the questions ask.
func mixture(count int) []facts.Account {
	r := rand.New(rand.NewPCG(1, 2))
	tri := func() facts.Tri { return facts.Tri(r.IntN(3)) }
	moment := func() facts.Moment {
		return []facts.Moment{{}, facts.Never, ago(r.IntN(900)), ago(-r.IntN(20))}[r.IntN(4)]
	}
	var list []facts.Account
	for i := range count {
		a := facts.Account{
			Login: fmt.Sprint("a", i), Kind: []string{"", facts.Person, facts.Service, facts.Shared,
				facts.Guest}[r.IntN(5)], Privileged: tri(), Enabled: tri(), Locked: tri(), MustChange: tri(),
			NeverExpires: tri(), CannotChange: tri(), BlankAllowed: tri(), Blank: tri(), PasswordUsable: tri(), SecondFactor: tri(),
			PasswordSet: moment(), Created: moment(), LastSignIn: moment(), PasswordExpires: moment(), LockedSince: moment(),
			Roles: []string{fmt.Sprint("p", r.IntN(4))}, RolesKnown: r.IntN(2) == 0, Policy: []string{"", "p1", "gone"}[r.IntN(3)],
			Storage: setting.ChoiceAt(r.IntN(6)), StoredMark: uint64(r.IntN(3 * count)), Origin: facts.Origin{File: "f", Line: i + 2},
		}
		if r.IntN(5) == 0 {
			a.Overrides = []facts.Override{{Setting: setting.MaxAge,
				Sourced: facts.Sourced{Value: setting.Days(int32(r.IntN(3) * 200)),
					Origin: facts.Origin{File: "f", Line: i + 2, Text: "own"}}}}
		}
		list = append(list, a)
	}
	return list
}

var exceptions = sync.OnceValue(func() []*rules.Exception {
	some, err := condition.Compile(strictyaml.Text{Value: `login endsWith "7"`}, condition.Complete)
	if err != nil {
		panic(err)
	}
	return []*rules.Exception{
		{Rule: "mixed/idle", Accounts: some, Because: "sevens", Until: asOf.AddDate(0, 3, 0)},
		{Rule: "mixed/age", Setting: "max_age", Accounts: some, Because: "ended", Until: asOf.AddDate(0, 0, -30)},
	}
})

func mixedSubject(t *testing.T, export facts.Export, system *facts.System) Subject {
	t.Helper()
	set, err := rules.Read("r.yaml", []byte(`rules: mixed
clauses:
  - {id: age, for: kind == "person", expect: {max_age: at most 90 days, min_length: at least 14}, severity: high}
  - {id: loose, for: privileged, replaces: [age], expect: {max_age: at most 365 days}, severity: low, if_privileged: high}
  - {id: used, forbid: last_sign_in > password_set and "p1" in roles, severity: medium}
  - {id: idle, forbid: idle > days(90) and not locked, severity: low, if_privileged: critical}
`))
	if err != nil {
		t.Fatal(err)
	}
	for i := range 4 {
		p := facts.Policy{Name: fmt.Sprint("p", i), Roles: []string{fmt.Sprint("p", i)}, Changed: ago(100 * i)}
		p.Set(setting.MinLength, setting.Count(int64(10+2*i)), facts.Origin{File: "p", Line: i})
		p.Set(setting.MaxAge, setting.Days(int32(60*i)), facts.Origin{File: "p", Line: i})
		p.Set(setting.SecondFactor, setting.SecondFactorOptional, facts.Origin{File: "p", Line: i})
		system.Policies = append(system.Policies, p)
	}
	return Subject{Export: export, Rules: []*rules.Set{set}, Exceptions: exceptions()}
}

// TestPartsAndOutcomes: the result is the same whatever the number of workers,
// whether the export is divided or not, and whether the outcomes of accounts
// that answer alike are shared or worked out one by one.
func TestPartsAndOutcomes(t *testing.T) {
	accounts := mixture(4000)
	run := func(alone bool, jobs int, whole bool) *finding.Result {
		system := &facts.System{Name: "mixed", Chooses: facts.ChooseOwn, Default: "p0", AsOf: asOf}
		d := &divided{fake: fake{Of: system, Listed: accounts}}
		var export facts.Export = d
		if whole {
			export = &d.fake
		}
		result, err := Run("e", []Subject{mixedSubject(t, export, system)}, Options{
			Examples: 7, Jobs: jobs, Singly: alone})
		if err != nil {
			t.Fatal(err)
		}
		result.Systems[0].Notes = nil
		for _, list := range [][]finding.Finding{result.Findings, result.Accepted} {
			for i := range list {
				for j := range list[i].Reach.Examples {
					list[i].Reach.Examples[j].Place = 0
				}
			}
		}
		for i := range result.Unknowns {
			for j := range result.Unknowns[i].Reach.Examples {
				result.Unknowns[i].Reach.Examples[j].Place = 0
			}
		}
		return result
	}
	want := run(true, 1, true)
	if len(want.Findings) < 30 || len(want.Accepted) == 0 || len(want.Unknowns) < 10 {
		t.Fatalf("the mixture shows too little: %d findings, %d accepted, %d unknown", len(want.Findings),
			len(want.Accepted), len(want.Unknowns))
	}
	for _, jobs := range []int{1, 2, 3, 8} {
		for _, whole := range []bool{true, false} {
			got := run(false, jobs, whole)
			if !reflect.DeepEqual(got, want) {
				for i := range want.Findings {
					if i >= len(got.Findings) || !reflect.DeepEqual(got.Findings[i], want.Findings[i]) {
						t.Errorf("finding %d:\n got %+v\nwant %+v", i, got.Findings[i], want.Findings[i])
						break
					}
				}
				t.Fatalf("%d jobs, whole %v: another result", jobs, whole)
			}
		}
	}
}

// TestPartsInOrder: parts are done in their order, accounts are handed over in
// theirs, and an error of the receiver ends the reading.
func TestPartsInOrder(t *testing.T) {
	const batch = 512 // of facts.Batches
	for _, until := range []int{3000, 0, 1, batch - 1, batch, 5*batch + 7} {
		d := &divided{fake: fake{Of: &facts.System{AsOf: asOf}, Listed: mixture(3000)}}
		n, last, stop := 0, -1, errors.New("enough")
		_, err := Run("e", []Subject{mixedSubject(t, d, d.Of)}, Options{Jobs: 4,
			Each: func(r *Reached) error {
				if r.Account.Origin.Line < last {
					t.Fatalf("line %d comes after %d", r.Account.Origin.Line, last)
				}
				last = r.Account.Origin.Line
				if n++; n > until {
					return stop
				}
				return nil
			}})
		if !errors.Is(err, stop) {
			t.Errorf("until %d: %v", until, err)
		}
		if !slices.IsSorted(d.done) {
			t.Fatalf("the parts were done in another order: %v", d.done)
		}
	}
}

// TestPrefixesOfTheFirst: prefixes of programs are proposed from so many accounts and no
// more, whether they are noted on the way or the export is read again, and whatever the
// number of workers.
func TestPrefixesOfTheFirst(t *testing.T) {
	set, err := rules.Read("r.yaml", []byte("rules: r\nclauses:\n  - {id: nobody, for: login == \"no-one\", forbid: locked}\n"))
	if err != nil {
		t.Fatal(err)
	}
	accounts := make([]facts.Account, accountsLooked+100)
	for i := range accounts {
		accounts[i].Login = fmt.Sprint("a", i)
	}
	accounts[7].Login, accounts[accountsLooked-1].Login, accounts[accountsLooked].Login = "SVC-rota", "app_rota", "bot-rota"
	accounts[8].Login, accounts[8].Kind = "srv-rota", facts.Service
	for _, c := range []struct {
		jobs  int
		whole bool
		rules []*rules.Set
	}{{1, true, nil}, {1, false, nil}, {4, false, nil}, {1, true, []*rules.Set{set}}, {4, false, []*rules.Set{set}}} {
		d := &divided{fake: fake{Of: &facts.System{Name: "one", AsOf: asOf}, Listed: accounts}}
		var export facts.Export = d
		if c.whole {
			export = &d.fake
		}
		result, err := Run("e", []Subject{{Export: export, Rules: c.rules}}, Options{Jobs: c.jobs})
		if err != nil {
			t.Fatal(err)
		}
		notes := fmt.Sprint(result.Systems[0].Notes)
		for prefix, proposed := range map[string]bool{"SVC-": true, "app_": true, "bot-": false, "srv-": false} {
			if strings.Contains(notes, fmt.Sprintf("%q", prefix)) != proposed {
				t.Errorf("%d jobs, %d rules: %s is proposed: %v\n%s", c.jobs, len(c.rules), prefix, !proposed, notes)
			}
		}
	}
}
