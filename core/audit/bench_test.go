package audit

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/core/rules"
	"yewcone/core/setting"
)

// BenchmarkAccount holds one account against rules and checks. The cost must
// not grow with clauses times policies: settings are judged once for all
// accounts that share them.
func BenchmarkAccount(b *testing.B) {
	for _, size := range []struct{ clauses, policies int }{{1, 1}, {40, 1}, {1, 20}, {40, 20}} {
		b.Run(fmt.Sprintf("%d clauses, %d policies", size.clauses, size.policies), func(b *testing.B) {
			e, accounts := benchEngine(b, size.clauses, size.policies)
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				if err := e.account(&accounts[i%len(accounts)], int64(i)); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func benchEngine(b *testing.B, clauses, policies int) (*engine, []facts.Account) {
	b.Helper()
	var text strings.Builder
	text.WriteString("rules: bench\nclauses:\n")
	for i := range clauses {
		fmt.Fprintf(&text, "  - {id: c%d, for: kind == \"person\" and not privileged, expect: {min_length: at least %d, "+
			"max_age: at most 90 days}}\n", i, 8+i%10)
	}
	set, err := rules.Read("bench.yaml", []byte(text.String()))
	if err != nil {
		b.Fatal(err)
	}
	system := &facts.System{Name: "x", Chooses: facts.ChooseOwn, Default: "p0", AsOf: asOf}
	var accounts []facts.Account
	for i := range policies {
		name := fmt.Sprintf("p%d", i)
		p := facts.Policy{Name: name, Roles: []string{name}}
		p.Set(setting.MinLength, setting.Count(int64(6+i)), facts.Origin{})
		p.Set(setting.MaxAge, setting.Days(60), facts.Origin{})
		system.Policies = append(system.Policies, p)
		a := ordinary(name)
		a.Roles, a.RolesKnown = []string{name}, true
		accounts = append(accounts, a)
	}
	e, err := newEngine(&Subject{Export: &fake{Of: system}, Rules: []*rules.Set{set}},
		&Options{Examples: 5})
	if err != nil {
		b.Fatal(err)
	}
	return e, accounts
}
