package audit

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"testing"

	"yewcone/core/condition"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/rules"
	"yewcone/core/spool"
	"yewcone/core/strictyaml"
)

// crowd is accounts of people who have some on other systems too, or seem to.
func crowd(seed uint64, count int) []facts.Account {
	r := rand.New(rand.NewPCG(seed, 3))
	list, names := mixture(count), r.Perm(2*count) // each once on a system
	for i := range list {
		a := &list[i]
		a.Origin.Line = i + 2
		if r.IntN(3) > 0 {
			a.Kind = facts.Person
		}
		a.Enabled, a.Privileged, a.SecondFactor = facts.Tri(r.IntN(3)), facts.Tri(r.IntN(3)), facts.Tri(r.IntN(3))
		a.Login = fmt.Sprint([]string{"a", "B"}[r.IntN(2)], names[i])
		if r.IntN(5) > 0 {
			a.EmployeeNo = fmt.Sprintf(" 00%d", r.IntN(count))
		}
		if r.IntN(4) > 0 {
			a.Email = fmt.Sprintf("%d@Marrowby.example", r.IntN(count))
		}
	}
	return list
}

var excused = sync.OnceValue(func() []*rules.Exception {
	some, err := condition.Compile(strictyaml.Text{Value: `login endsWith "7" or idle > days(300)`}, condition.Complete)
	if err != nil {
		panic(err)
	}
	return []*rules.Exception{
		{Rule: "check/person-stale", Accounts: some, Because: "known"},
		{Rule: "check/same-stored", Accounts: some, Because: "known"},
		{Rule: "check/person-off-elsewhere", Because: "over", Accounts: some, Until: asOf.AddDate(0, 0, -30)},
	}
})

// crowded checks three systems with people on them.
func crowded(t *testing.T, count, jobs int, whole bool, change func(*Options)) (*finding.Result, error) {
	t.Helper()
	var subjects []Subject
	for i := range 3 {
		system := &facts.System{Name: fmt.Sprint("system", i), Chooses: facts.ChooseOwn, Default: "p0", AsOf: asOf}
		d := &divided{fake: fake{Of: system, Listed: crowd(uint64(i), count)}}
		var export facts.Export = d
		if whole {
			export = &d.fake
		}
		s := mixedSubject(t, export, system)
		s.Exceptions = excused()
		subjects = append(subjects, s)
	}
	o := Options{Examples: 7, Jobs: jobs, Relations: &Relations{Match: []string{gap.ByEmployeeNo, gap.ByEmail}, From: "system1"},
		Scratch: func() (spool.Scratch, error) { return os.Create(filepath.Join(t.TempDir(), "scratch")) }}
	if change != nil {
		change(&o)
	}
	return Run("e", subjects, o)
}

// TestPeopleSighted: what is told of accounts with their people and of stored passwords
// that are the same is the same where the accounts are read once more as where what was
// noted of them does, whatever the number of workers.
func TestPeopleSighted(t *testing.T) {
	of := func(jobs int, whole bool, change func(*Options)) []finding.Finding {
		result, err := crowded(t, 3000, jobs, whole, change)
		if err != nil {
			t.Fatal(err)
		}
		var list []finding.Finding
		for _, f := range append(result.Findings, result.Accepted...) {
			if strings.HasPrefix(f.Rule.Clause, "person-") || f.Rule.Clause == "same-stored" {
				for i := range f.Reach.Examples {
					f.Reach.Examples[i].Place = 0
				}
				list = append(list, f)
			}
		}
		return list
	}
	want := of(1, true, func(o *Options) { o.Each = func(*Reached) error { return nil } })
	if len(want) < 30 {
		t.Fatalf("the crowd shows too little: %d findings", len(want))
	}
	for _, jobs := range []int{1, 2, 8} {
		for _, whole := range []bool{true, false} {
			got := of(jobs, whole, nil)
			for i := range want {
				if i >= len(got) || !reflect.DeepEqual(got[i], want[i]) {
					t.Fatalf("%d jobs, whole %v, finding %d of %d:\n got %+v\nwant %+v", jobs, whole, i, len(got), got[min(i, len(got)-1)], want[i])
				}
			}
		}
	}
}

// TestPeopleFull: where what is noted cannot be put aside, nothing is told.
func TestPeopleFull(t *testing.T) {
	full := errors.New("full")
	_, err := crowded(t, 60_000, 2, false, func(o *Options) {
		o.Scratch = func() (spool.Scratch, error) { return nil, full }
	})
	if !errors.Is(err, full) {
		t.Errorf("%v", err)
	}
}
