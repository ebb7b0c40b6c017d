package audit

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"yewcone/core/condition"
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/strictyaml"
)

// asksOfDates are questions of all sorts that depend on dates.
var asksOfDates = []string{"idle > days(90)", "password_age >= days(200)", "days(14) < account_age", "created < password_set",
	`last_sign_in == date("2026-10-01")`, `password_set != date("2026-01-01")`, "never_changed", "dated_in_future", "used_after_end",
	"overdue", "shut", "overdue_open", "overdue_for > days(5)", "lasts_for_ever", "older_than_policy", "older_than_rules", "never_signed_in",
	`password_expires <= date("2026-12-20")`, `account_ends < date("2027-01-01")`}

// TestCells: dates in one cell answer alike whatever depends on them, for each question
// and for all together, with all sorts of settings.
func TestCells(t *testing.T) {
	settings := []map[string]string{{}, {"max_age": "90 days"}, {"max_age": "3 months"}, {"max_age": "7 hours", "grace_period": "1 month"},
		{"max_age": "30 days", "grace_period": "5 days"}, {"max_age": "off"}, {"max_age": "60 days", "grace_signins": "2"},
		{"max_age": "10 days", "grace_period": "off"}}
	lists := [][]string{asksOfDates}
	for _, text := range asksOfDates {
		lists = append(lists, []string{text})
	}
	for n, asks := range lists {
		pattern := condition.NewDatedPattern()
		var conditions []*condition.Condition
		for _, text := range asks {
			c, err := condition.Compile(strictyaml.Text{Value: text}, condition.Complete)
			if err != nil {
				t.Fatal(err)
			}
			pattern.Add(c)
			conditions = append(conditions, c)
		}
		turns, ok := pattern.Turns(asOf.Unix())
		if !ok || !pattern.Packs() {
			t.Fatalf("%s: nobody knows where the answers turn", asks)
		}
		for i, said := range settings {
			for columns := range 5 {
				testCells(t, conditions, &turns, said, columns, rand.New(rand.NewPCG(uint64(n*1000+i*10+columns), 1)))
			}
		}
	}
}

func testCells(t *testing.T, conditions []*condition.Condition, turns *condition.Turns, said map[string]string, columns int, r *rand.Rand) {
	house := policy(t, "house", said)
	house.Changed = facts.At(asOf.AddDate(0, 0, -45))
	system := &facts.System{Name: "one", AsOf: asOf, Chooses: facts.ChooseSingle, Default: "house", Policies: []facts.Policy{house}}
	e := &engine{system: system, rulesSince: asOf.AddDate(0, 0, -70).Unix()}
	s := &sort{model: &model{account: facts.Account{Login: "ada", Policy: "house", Enabled: facts.Yes, PasswordUsable: facts.Yes, GraceUsed: facts.Counted{}}}}
	s.settings = effective.NewResolver(system).For(&s.account)
	names := []string{"created", "password_set", "last_sign_in", "account_ends", "password_expires"}
	of := []*facts.Moment{&s.account.Created, &s.account.PasswordSet, &s.account.LastSignIn, &s.account.Ends, &s.account.PasswordExpires}
	switch columns {
	case 0:
		names, of = names[:3], of[:3]
	case 1:
		names, of = names[:4], of[:4]
	case 2: // without the last sign-in
		names, of = []string{"created", "password_set"}, of[:2]
		s.account.LastSignIn = facts.Never
	case 3: // of a password that was never set, whose end is given
		names, of = []string{"created", "last_sign_in"}, []*facts.Moment{of[0], of[2]}
		s.account.PasswordSet, s.account.PasswordExpires = facts.Never, facts.At(asOf.AddDate(0, 0, -30))
	}
	s.dates = of
	m := &met{turns: turns, cells: map[cellsKey]*cells{}, of: &facts.Sketches{DateNames: names}}
	if s.cells = m.cellsOf(e, s); s.cells == nil {
		t.Fatalf("%v: there are no cells", said)
	}
	lengths := []int{0, 5, 10, 14, 15, 30, 45, 60, 70, 90, 92, 100, 200, 365, 400}
	met := map[condition.Packed]string{}
	first := map[condition.Packed]string{}
	dates := make([]facts.Moment, len(of))
	for range 1500 {
		for i := range dates {
			at := asOf.AddDate(0, 0, -lengths[r.IntN(len(lengths))])
			switch r.IntN(8) {
			case 0:
				at = at.AddDate(0, 0, r.IntN(90)-45)
			case 1:
				at = time.Date(2026, time.Month(1+r.IntN(15)), []int{1, 20, 28, 31}[r.IntN(4)], 0, 0, 0, 0, time.UTC)
			case 2:
				at = at.Add(-7 * time.Hour)
			}
			dates[i] = facts.AtSecond(at.Unix() + int64(r.IntN(3)-1))
			if i > 0 && r.IntN(6) == 0 {
				before, _ := dates[i-1].Unix()
				dates[i] = facts.AtSecond(before + int64(r.IntN(3)-1) + int64(lengths[r.IntN(len(lengths))])*86400*int64(r.IntN(2)))
			}
		}
		cell, ok := s.cells.of(dates)
		if !ok {
			t.Fatalf("%v lie in no cell", dates)
		}
		s.date(e, dates)
		answers := ""
		for _, c := range conditions {
			answers += fmt.Sprint(c.Test(&e.about), c.UnknownFacts(&e.about, nil))
		}
		if before, known := met[cell]; !known {
			met[cell], first[cell] = answers, fmt.Sprint(dates)
		} else if before != answers {
			t.Fatalf("%v, dates %d: %v and %s lie in one cell and answer otherwise", said, columns, dates, first[cell])
		}
	}
}
