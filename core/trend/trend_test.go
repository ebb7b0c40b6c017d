package trend

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"yewcone/core/record"
	"yewcone/core/rules"
)

// TestOrder: results kept in any order give the same trend; what is missing, or
// was not read to its end, is a gap.
func TestOrder(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 1, 1+n, 0, 0, 0, 0, time.UTC) }
	var sums []Sum
	for n := range 6 {
		for _, system := range []string{"a", "b"} {
			if n == 2 && system == "b" {
				continue
			}
			sums = append(sums, Sum{Result: int64(10 + n), AsOf: day(n), System: system, Partial: n == 4 && system == "a", Clauses: 10, Met: n,
				Counts: map[rules.Severity]int{rules.High: 10 - n}})
		}
	}
	sums = append(sums, Sum{Result: 99, AsOf: day(5), System: "a", Counts: map[rules.Severity]int{rules.High: 1}},
		Sum{Result: 99, AsOf: day(5), System: "b", Counts: map[rules.Severity]int{}},
		Sum{Result: 98, AsOf: day(3), System: "rare", Counts: map[rules.Severity]int{}})
	sums = sums[:len(sums)-1]
	say := func(tr *Trend) string {
		text := fmt.Sprint(tr.Results, tr.Common)
		for _, l := range append(tr.Lines, Line{"all", tr.All}) {
			text += " " + l.System
			for _, s := range l.Sums {
				if s == nil {
					text += " -"
				} else {
					text += fmt.Sprintf(" %d", s.Serious())
				}
			}
		}
		return text
	}
	want := "[10 11 12 13 14 99] [a b] a 10 9 8 7 - 1 b 10 9 - 7 6 0 all 20 18 - 14 - 1"
	r := rand.New(rand.NewPCG(1, 1))
	for range 20 {
		if got := say(Of(sums)); got != want {
			t.Fatalf("%s\nwant %s", got, want)
		}
		r.Shuffle(len(sums), func(i, j int) { sums[i], sums[j] = sums[j], sums[i] })
	}
}

// TestBreaks: where other rules, or another mapping, came into force is told
// once, also past a gap; what was not kept is no change. Guesses together are
// those of the system that allows more, and not known where one is not.
func TestBreaks(t *testing.T) {
	some, none := 12.0, -1.0
	sum := func(n int, system, rules, mapping string, guesses *float64) Sum {
		return Sum{Result: int64(n), AsOf: time.Date(2026, 1, n, 0, 0, 0, 0, time.UTC), System: system,
			More: More{Rules: rules, Mapping: mapping, Measures: record.Measures{Accounts: 10, Old: n, AgeKnown: 5, Guesses: guesses}}}
	}
	tr := Of([]Sum{sum(1, "a", "", "m", &some), sum(2, "a", "r", "m", &some), sum(4, "a", "s", "m", &none), sum(5, "a", "s", "n", nil),
		sum(1, "b", "r", "", &some), sum(2, "b", "r", "", &some), sum(3, "b", "r", "", &some), sum(4, "b", "r", "", &some), sum(5, "b", "r", "", &some)})
	if got := fmt.Sprint(tr.Breaks()); got != "[{3 [a] []} {4 [] [a]}]" {
		t.Error(got)
	}
	for at, want := range []*float64{&some, &some, nil, &none, nil} {
		switch all := tr.All[at]; {
		case at == 2:
			if all != nil {
				t.Error("a result without a system has a sum")
			}
		case (want == nil) != (all.Measures.Guesses == nil) || want != nil && *want != *all.Measures.Guesses:
			t.Errorf("result %d: %v", at+1, all.Measures.Guesses)
		case all.Measures.Accounts != 20 || all.Measures.Old != 2*(at+1):
			t.Errorf("result %d: %+v", at+1, all.Measures)
		}
	}
}
