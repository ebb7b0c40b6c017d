package drift

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/core/record"
)

var severities = []string{"info", "low", "medium", "high", "critical"}

// random is a record of a few systems.
func random(r *rand.Rand) *record.Record {
	rec := &record.Record{Version: record.Version, Estate: "e"}
	for i := range 2 + r.IntN(3) {
		s := record.System{Name: fmt.Sprintf("s%d", i), Listed: true, Valued: true, Outcomes: map[string]string{}}
		for n := range 12 {
			s.Outcomes[fmt.Sprintf("r/c%d", n)] = "met"
		}
		for n := range 8 {
			s.Values = append(s.Values, record.Value{Policy: fmt.Sprintf("p%d", n/4), Setting: []string{"min_length", "history", "max_age", "lockout_attempts"}[n%4],
				Value: []string{"8", "5", "90 days", "10"}[n%4], Place: fmt.Sprintf("f:%d", n)})
		}
		for n := range 20 {
			s.People = append(s.People, record.Account{Login: fmt.Sprintf("u%02d", n), Enabled: "yes", Privileged: "no", NeverExpires: "no",
				PasswordSet: "2026-01-01"})
		}
		rec.Systems = append(rec.Systems, s)
		for n := range 8 {
			rule := fmt.Sprintf("r/c%d", n)
			s.Outcomes[rule] = "broken"
			rec.Findings = append(rec.Findings, record.Finding{System: s.Name, Rule: rule, Fingerprint: s.Name + rule, Severity: severities[r.IntN(4)],
				Setting: "min_length", Policy: "p0", Value: "8", Accounts: 5 + r.IntN(5), Privileged: 1})
		}
	}
	return rec
}

func clone(r *record.Record) *record.Record {
	c := *r
	c.Findings, c.Systems = slices.Clone(r.Findings), slices.Clone(r.Systems)
	for i := range c.Systems {
		s := &c.Systems[i]
		s.Values, s.People = slices.Clone(s.Values), slices.Clone(s.People)
		outcomes := map[string]string{}
		for k, v := range s.Outcomes {
			outcomes[k] = v
		}
		s.Outcomes = outcomes
	}
	return &c
}

// TestExactlyTheChanges: for records that differ by random changes, drift lists
// those and nothing else; nothing of a system that was not read to its end is
// fixed or gone.
func TestExactlyTheChanges(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 1))
		before := random(r)
		after := clone(before)
		partial := ""
		if r.IntN(3) == 0 {
			s := &after.Systems[r.IntN(len(after.Systems))]
			s.Partial, partial = true, s.Name
		}
		want := map[string]bool{}
		removed := map[int]bool{}
		for i := range after.Findings {
			f := &after.Findings[i]
			name := f.System + " " + f.Rule + " "
			switch r.IntN(12) {
			case 0:
				removed[i] = true
				if want[name+"fixed"] = f.System != partial; f.System == partial {
					want[name+"not looked at now"] = true
				}
			case 1:
				f.Severity = severities[f.Rank()] // one worse: ranks begin with 1
				want[name+"worse"] = true
			case 2:
				f.Value = "6"
				want[name+"worse"] = true
			case 3:
				f.Value = "10"
				want[name+"better"] = true
			case 4:
				f.Accounts++
				want[name+"worse"] = true
			case 5:
				if f.Accounts--; f.System == partial {
					want[name+"same"] = true
				} else {
					want[name+"better"] = true
				}
			case 6:
				f.Privileged++
				want[name+"worse"] = true
			case 7:
				f.Accepted = "2027-01-01"
				want[name+"accepted since"] = true
			case 8: // the value's own fingerprint is not what tells it
				f.Fingerprint += "x"
				want[name+"same"] = true
			default:
				want[name+"same"] = true
			}
		}
		var kept []record.Finding
		for i := range after.Findings {
			if !removed[i] {
				kept = append(kept, after.Findings[i])
			}
		}
		after.Findings = kept
		s := &after.Systems[0]
		after.Findings = append(after.Findings, record.Finding{System: s.Name, Rule: "r/c9", Fingerprint: "fresh", Severity: "low", Policy: "p0"})
		want[s.Name+" r/c9 new"] = true
		for i := range after.Systems {
			x := &after.Systems[i]
			for n := range x.Values {
				v := &x.Values[n]
				if r.IntN(6) > 0 {
					continue
				}
				v.Value = map[string]string{"min_length": "12", "history": "2", "max_age": "60 days", "lockout_attempts": "never"}[v.Setting]
				want[x.Name+" "+v.Policy+" "+v.Setting] = true
			}
			n := r.IntN(len(x.People))
			switch a := &x.People[n]; r.IntN(5) {
			case 0:
				a.Enabled = "no"
				want[x.Name+" off "+a.Login] = true
			case 1:
				a.Privileged = "yes"
				want[x.Name+" privileged "+a.Login] = true
			case 2:
				a.NeverExpires = "yes"
				want[x.Name+" mark "+a.Login+" (never expires)"] = true
			case 3:
				want[x.Name+" gone "+a.Login] = x.Name != partial
				x.People = slices.Delete(x.People, n, n+1)
			default:
				x.People = append(x.People, record.Account{Login: "u99"})
				want[x.Name+" made u99"] = true
			}
		}
		d := Between(before, after, nil)
		got := map[string]bool{}
		for i := range d.Findings {
			f := &d.Findings[i]
			got[f.At().System+" "+f.At().Rule+" "+string(f.State)] = true
		}
		for _, v := range d.Values {
			got[v.System+" "+v.Policy+" "+v.Setting] = true
		}
		for i := range d.Accounts {
			a := &d.Accounts[i]
			for what, list := range map[string][]string{"off": a.Disabled, "privileged": a.Privileged, "mark": a.MarksSet, "gone": a.Gone, "made": a.Made} {
				for _, name := range list {
					got[a.System+" "+what+" "+name] = true
				}
			}
		}
		for k, so := range want {
			if so && !got[k] {
				t.Fatalf("seed %d: not told: %s", seed, k)
			}
		}
		for k := range got {
			if !want[k] {
				t.Fatalf("seed %d: told, and not so: %s", seed, k)
			}
			if partial != "" && strings.HasPrefix(k, partial+" ") && (strings.HasSuffix(k, " fixed") || strings.Contains(k, " gone ")) {
				t.Fatalf("seed %d: of a system that was not read to its end: %s", seed, k)
			}
		}
	}
}

// TestAsked: what a change asked for took effect, did not, or went elsewhere.
func TestAsked(t *testing.T) {
	value := func(v string) []record.System {
		return []record.System{{Name: "s", Valued: true, Values: []record.Value{{Policy: "p", Setting: "min_length", Value: v}, {Policy: "p", Setting: "history", Value: "5"}}}}
	}
	for now, want := range map[string]string{"16": "as asked", "20": "as asked", "12": "elsewhere", "8": "not yet", "6": "elsewhere"} {
		before := &record.Record{Systems: value("8"), Asked: []record.Asked{{System: "s", Policy: "p", Setting: "min_length", From: "8", To: "16"}}}
		d := Between(before, &record.Record{Systems: value(now)}, nil)
		got := "nothing"
		switch {
		case len(d.NotYet) == 1:
			got = "not yet"
		case len(d.Values) == 1 && d.Values[0].AsAsked:
			got = "as asked"
		case len(d.Values) == 1:
			got = "elsewhere"
		}
		if got != want {
			t.Errorf("min_length %s: %s, want %s", now, got, want)
		}
	}
}

// TestCameBack: what was there before the earlier record, and not in it, came
// back; between systems nothing is fixed where one was not read.
func TestCameBack(t *testing.T) {
	systems := []record.System{{Name: "s", Outcomes: map[string]string{"r/a": "broken"}}, {Name: "o", Outcomes: map[string]string{}}}
	f := record.Finding{System: "s", Rule: "r/a", Severity: "high", Fingerprint: "f"}
	d := Between(&record.Record{Systems: systems}, &record.Record{Systems: systems, Findings: []record.Finding{f}},
		func(string) (string, bool) { return "2026-03-01", true })
	if d.Findings[0].State != CameBack || d.Findings[0].LastIn != "2026-03-01" {
		t.Errorf("%+v", d.Findings)
	}
	f.Between = true
	cut := slices.Clone(systems)
	cut[1].Partial = true
	d = Between(&record.Record{Systems: systems, Findings: []record.Finding{f}}, &record.Record{Systems: cut}, nil)
	if d.Findings[0].State != NotLooked {
		t.Errorf("%+v", d.Findings)
	}
}
