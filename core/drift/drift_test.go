package drift

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/core/finding"
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
			s.People = append(s.People, record.Account{Login: fmt.Sprintf("u%02d", n), Enabled: record.Yes, Privileged: record.No,
				NeverExpires: record.No, PasswordSet: "2026-01-01"})
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

// betterUnless is what a change to the better is called.
func betterUnless(partial bool) string {
	if partial {
		return string(Same)
	}
	return string(Better)
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
				want[name+betterUnless(f.System == partial)] = true
			case 4:
				f.Accounts++
				want[name+"worse"] = true
			case 5:
				f.Accounts--
				want[name+betterUnless(f.System == partial)] = true
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
				a.Enabled = record.No
				want[x.Name+" off "+a.Login] = true
			case 1:
				a.Privileged = record.Yes
				want[x.Name+" privileged "+a.Login] = true
			case 2:
				a.NeverExpires = record.Yes
				want[x.Name+" mark "+a.Login+" (never expires)"] = true
			case 3:
				want[x.Name+" gone "+a.Login] = x.Name != partial
				x.People = slices.Delete(x.People, n, n+1)
			default:
				x.People = append(x.People, record.Account{Login: "u99"})
				want[x.Name+" made u99"] = true
			}
		}
		d := between(t, before, after, nil)
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
		d := between(t, before, &record.Record{Systems: value(now)}, nil)
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
	d := between(t, &record.Record{Systems: systems}, &record.Record{Systems: systems, Findings: []record.Finding{f}},
		func(string) (string, bool) { return "2026-03-01", true })
	if d.Findings[0].State != CameBack || d.Findings[0].LastIn != "2026-03-01" {
		t.Errorf("%+v", d.Findings)
	}
	f.Between = true
	cut := slices.Clone(systems)
	cut[1].Partial = true
	d = between(t, &record.Record{Systems: systems, Findings: []record.Finding{f}}, &record.Record{Systems: cut}, nil)
	if d.Findings[0].State != NotLooked {
		t.Errorf("%+v", d.Findings)
	}
}

// TestNotTold: what a later record does not show is not fixed, what an earlier
// one did not show is neither new nor worse, and fewer are not better where the
// rest is not known.
func TestNotTold(t *testing.T) {
	of := func(state string, f ...record.Finding) *record.Record {
		for i := range f {
			f[i].System, f[i].Rule, f[i].Severity = "s", "r/a", "high"
		}
		s := record.System{Name: "s", Outcomes: map[string]string{"r/a": state}}
		if state == "" {
			delete(s.Outcomes, "r/a")
		}
		if state == "cut" {
			s.Partial = true
		}
		return &record.Record{Systems: []record.System{s}, Findings: f}
	}
	three, five := record.Finding{Accounts: 3}, record.Finding{Accounts: 5, Privileged: 1}
	elsewhere := of("met")
	elsewhere.Systems[0].Name = "other"
	for _, x := range []struct {
		before, after *record.Record
		want          State
		why           string
	}{
		{of("broken", five), of("met"), Fixed, ""},
		{of("broken", five), elsewhere, NotLooked, "the system was not looked at"},
		{of("broken", five), of("cut"), NotLooked, "its export was not read to its end"},
		{of("broken", five), of(""), NotLooked, "the rule was not asked"},
		{of("broken", five), of(finding.Open), NotLooked, "what the rule asks is not known for everybody"},
		{of("broken", five), of(finding.NotForIt), NotLooked, "the rule was asked of nobody"},
		{of("broken", five), of("broken", record.Finding{Accounts: 3, Unranked: 1, Split: "not privileged"}), NotLooked,
			"which of the accounts that break the rule are privileged is not known"},
		{of("cut"), of("broken", five), FirstSeen, "its export was not read to its end then"},
		{of("met"), of("broken", five), New, ""},
		{of("broken", three), of("broken", five), Worse, "1 privileged account, were 0; 5 accounts, were 3"},
		{of("broken", five), of("broken", three), Better, "0 privileged accounts, was 1; 3 accounts, were 5"},
		{of("cut", three), of("broken", five), Same, "1 privileged account, were 0 of those that could be told; 5 accounts, were 3 of those that could be told"},
		{of("broken, unsure", three), of("broken", three), Same, ""},
		{of("broken", five), of("broken, unsure", three), Same, "whether fewer accounts are reached is not known"},
	} {
		d := between(t, x.before, x.after, nil)
		f := &d.Findings[slices.IndexFunc(d.Findings, func(f Finding) bool { return f.Before != nil || len(x.before.Findings) == 0 })]
		if got := strings.Join(f.Notes(), "; "); f.State != x.want || got != x.why {
			t.Errorf("%v then %v: %s (%s), want %s (%s)", x.before.Systems, x.after.Systems, f.State, got, x.want, x.why)
		}
	}
}

func between(t *testing.T, before, after *record.Record, seen func(string) (string, bool)) *Drift {
	t.Helper()
	d, err := Between(before, after, seen)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// TestNotYet: what became stricter for new passwords does not hold yet for those
// that were not changed, of the policy alone; other rules and mappings are told.
func TestNotYet(t *testing.T) {
	at := func(length, attempts, set, rules string) *record.Record {
		return &record.Record{Systems: []record.System{{Name: "s", Listed: true, Valued: true, Sources: record.Sources{Mapping: rules, Rules: map[string]string{"r": rules}},
			Values: []record.Value{{Policy: "p", Setting: "min_length", Value: length}, {Policy: "q", Setting: "lockout_attempts", Value: attempts}},
			People: []record.Account{{Login: "ada", Enabled: record.Yes, Under: "p", PasswordSet: "2026-01-01"},
				{Login: "ben", Enabled: record.Yes, Under: "p", PasswordSet: set},
				{Login: "cat", Enabled: record.Yes, Under: "q", PasswordSet: "2026-01-01"},
				{Login: "dee", Enabled: record.No, Under: "p", PasswordSet: "2026-01-01"}}}}}
	}
	for _, c := range []struct {
		length, attempts, rules string
		want                    string
	}{{"12", "5", "x", "[ada] []"}, {"8", "3", "x", "[] []"}, {"6", "5", "y", "[] [s]"}} {
		d := between(t, at("8", "5", "2026-01-01", "x"), at(c.length, c.attempts, "2026-02-01", c.rules), nil)
		if got := fmt.Sprint(d.Accounts[0].NotYet, d.OtherRules); got != c.want || len(d.OtherMappings) != len(d.OtherRules) {
			t.Errorf("%+v: %s", c, got)
		}
	}
}
