package trial

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/core/facts/factstest"
	"yewcone/core/password"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/setting/settingtest"
)

type fake = factstest.Export

func policy(t *testing.T, name string, values map[string]string) facts.Policy {
	t.Helper()
	p := facts.Policy{Name: name}
	for key, text := range values {
		p.Set(settingtest.ID(key), settingtest.Value(key, text), facts.Origin{File: "p", Line: 1})
	}
	return p
}

// subject is a system with a policy for all and one for a role.
func subject(t *testing.T) *Subject {
	t.Helper()
	everyone, admins := policy(t, "everyone", map[string]string{"min_length": "8"}),
		policy(t, "admins", map[string]string{"min_length": "16", "login_barred": "contained"})
	admins.Roles = []string{"admin"}
	return &Subject{Export: &fake{
		Of: &facts.System{Name: "shop", Chooses: facts.ChooseOwn, Default: "everyone", Policies: []facts.Policy{everyone, admins}},
		Listed: []facts.Account{{Login: "ada", LastName: "Keane", RolesKnown: true},
			{Login: "root", Roles: []string{"admin"}, RolesKnown: true}},
	}}
}

// TestTargets: what of a system candidates are held against.
func TestTargets(t *testing.T) {
	s := subject(t)
	id := setting.MinLength
	for _, c := range []struct {
		whom Whom
		want string
	}{
		{Whom{}, "shop/everyone 8"}, {Whom{Policy: "admins"}, "shop/admins 16"},
		{Whom{Policy: "everyone"}, "shop/everyone 8"}, {Whom{Account: "ada"}, "shop/ada 8"},
		{Whom{Account: "root"}, "shop/root 16"},
	} {
		list, err := Targets(s, c.whom)
		if err != nil || len(list) != 1 {
			t.Fatalf("%+v: %v, %v", c.whom, list, err)
		}
		if got := list[0].Name() + " " + setting.At(id).Text(list[0].Value(id)); got != c.want {
			t.Errorf("%+v: %s, expected %s", c.whom, got, c.want)
		}
	}
	var noPolicy *NoPolicy
	if _, err := Targets(s, Whom{Policy: "admin"}); !errors.As(err, &noPolicy) ||
		!strings.Contains(err.Error(), `did you mean "admins"?`) {
		t.Errorf("%v", err)
	}
	var notFound *facts.NotFound
	if _, err := Targets(s, Whom{Account: "rot"}); !errors.As(err, &notFound) ||
		!slices.Contains(notFound.Near, "root") {
		t.Errorf("%v", err)
	}
	// Without a policy for nobody in particular, each policy is a target.
	s.Export.System().Default = ""
	list, err := Targets(s, Whom{})
	if err != nil || len(list) != 2 || list[0].Name() != "shop/everyone" || list[1].Name() != "shop/admins" {
		t.Errorf("%v, %v", list, err)
	}
}

// TestResembling: a stored candidate that holds a sign-in name or a name of an
// account is told of, unless it is said to be for that account.
func TestResembling(t *testing.T) {
	export := &fake{Of: &facts.System{Name: "shop"}, Listed: []facts.Account{
		{Login: "mkeane", FirstName: "Siobhán", LastName: "Keane"}, {Login: "li", DisplayName: "Li Na"},
		{Login: "porter", LastName: "Porterfield"},
	}}
	f := &File{Wants: []Want{
		{Password: "xxMKEANE2026"}, {Password: "keane-7", As: "mkeane"}, {Password: "li-on-watch"}, {Password: "siobhán!"},
		{Password: "import-errors"}, {Password: "Porterfield77"},
	}}
	list, err := f.Resembling(export)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, r := range list {
		got = append(got, fmt.Sprint(r.Number, r.Login, r.What))
	}
	slices.Sort(got)
	want := []string{"1mkeanethe sign-in name", "4mkeanea part of the name", "6porterthe sign-in name"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, expected %q", got, want)
	}
}

// TestReadFile: the forms of a trial file, and errors that show nothing of it.
func TestReadFile(t *testing.T) {
	f, err := ReadFile("t.yaml", []byte("trials: Crew\nsystems: [shop, till]\nas: ada\nrefused:\n  - plain\n  - {password: "+
		"'it''s', because: [min_length, max_run], as: root}\naccepted: ['  blanks  ', '0123']\n"))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, w := range f.Wants {
		got = append(got, fmt.Sprintf("%q %v %v %s %d", w.Password, w.Accepted, w.Because, w.As, w.Line))
	}
	want := []string{`"plain" false []  5`, `"it's" false [min_length max_run] root 6`, `"  blanks  " true []  7`, `"0123" true []  7`}
	if !slices.Equal(got, want) || f.Title != "Crew" || len(f.Systems) != 2 || f.Whom.Account != "ada" {
		t.Errorf("%q of %+v, expected %q", got, f, want)
	}
	for _, text := range []string{"", "trials: x\n", "trials: x\nrefused: [{pass: SecretKelp}]\n",
		"trials: x\nrefused: [SecretKelp\n", "trials: x\nrefused: [{password: SecretKelp, because: colour}]\n",
		"trials: x\naccepted: [{password: SecretKelp, because: min_length}]\n", "SecretKelp: x\n",
		"trials: x\nrefused: {SecretKelp: [SecretKelp]}\n"} {
		if _, err := ReadFile("t.yaml", []byte(text)); err == nil || strings.Contains(err.Error(), "SecretKelp") ||
			!strings.Contains(err.Error(), "t.yaml") {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// TestRun: what becomes of each candidate, as wanted or not.
func TestRun(t *testing.T) {
	s := subject(t)
	f := &File{Whom: Whom{}, Wants: []Want{
		{Password: "short", Because: []setting.ID{setting.MinLength}}, {Password: "short", Because: []setting.ID{setting.MaxLength}},
		{Password: "long enough"}, {Password: "long enough", Accepted: true}, {Password: "short", Accepted: true},
		{Password: "xx-root-and-more-root", As: "root", Because: []setting.ID{setting.LoginBarred}},
	}}
	r, err := f.Run(func(whom Whom) ([]*Target, error) { return Targets(s, whom) })
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, l := range r.Lines {
		got = append(got, fmt.Sprintf("%d %s %v %v %v", l.Number, l.Outcome, l.AsWanted, l.Open, l.Missing))
	}
	want := []string{"1 refused true false []", "2 refused false false [max_length]", "3 accepted? false false []",
		"4 accepted? true true []", "5 refused false false []", "6 refused true false []"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, expected %q", got, want)
	}
}

// TestProposed: what a proposal does not name asks nothing, so that its
// outcomes are sure.
func TestProposed(t *testing.T) {
	target := Proposed("p", map[setting.ID]setting.Value{setting.MinDigits: settingtest.Value("min_digits", "1")},
		password.Lists{})
	for text, want := range map[string]Outcome{"a": Refused, "1": Accepted, "": Refused, "no digit": Refused, "9 lives": Accepted} {
		j, err := password.Judge(password.NewCandidate(text), target.Against(nil))
		if err != nil || OutcomeOf(j) != want {
			t.Errorf("%q: %s, %v", text, OutcomeOf(j), err)
		}
	}
}

func target(name string, values map[string]string) *Target {
	all := map[setting.ID]setting.Value{}
	for key, text := range values {
		all[settingtest.ID(key)] = settingtest.Value(key, text)
	}
	return Proposed(name, all, password.Lists{})
}

// TestMint: what is minted meets all targets, or the collision is named.
func TestMint(t *testing.T) {
	a, b := target("a", map[string]string{"min_length": "12", "min_digits": "2", "min_upper": "1"}),
		target("b", map[string]string{"max_length": "16", "max_repeat": "1", "min_symbols": "1", "symbol_inside": "yes"})
	for _, w := range []Wish{{Bits: 60}, {Bits: 200}, {Bits: 60, Aloud: true}, {Bits: 1, Length: 12}} {
		m, err := NewMint([]*Target{a, b}, w)
		if err != nil {
			t.Fatalf("%+v: %v", w, err)
		}
		if m.Short != (w.Bits == 200) || m.Length < 12 || m.Length > 16 {
			t.Errorf("%+v: %d characters, %.1f bits, short %v", w, m.Length, m.Bits, m.Short)
		}
		for range 30 {
			text, err := m.Make()
			if err != nil {
				t.Fatal(err)
			}
			for _, on := range []*Target{a, b} {
				if ok, err := on.Accepts(text); !ok || err != nil {
					t.Fatalf("%+v: a password is refused by %s (%v)", w, on.Name(), err)
				}
			}
			if w.Aloud && strings.ContainsAny(text, "lIO01o") {
				t.Error("a password holds what looks alike")
			}
		}
	}
	var collision *Collision
	if _, err := NewMint([]*Target{a, target("c", map[string]string{"alphabet": "digits", "max_length": "6"})},
		Wish{Bits: 40}); !errors.As(err, &collision) || len(collision.Sets) < 2 ||
		!strings.Contains(err.Error(), "a has min_length 12, c has max_length 6") {
		t.Errorf("%v", err)
	}
}

// TestSpelled: every character has a word of its own.
func TestSpelled(t *testing.T) {
	if got := Spelled("aB7-z"); got != "alfa BRAVO seven dash zulu" {
		t.Errorf("%s", got)
	}
	seen := map[string]rune{}
	for _, r := range aloudPlain + aloudCapitals + aloudSymbols {
		word := Spelled(string(r))
		if other, twice := seen[word]; twice || word == "" || strings.Contains(word, " ") {
			t.Errorf("%q and %q are both read as %s", r, other, word)
		}
		seen[word] = r
	}
}

// TestWords: the list for passphrases has 1,024 words of small letters, each
// once, so that a word is worth ten bits.
func TestWords(t *testing.T) {
	words := strings.Fields(wordList)
	if len(words) != 1024 || len(slices.Compact(slices.Sorted(slices.Values(words)))) != 1024 {
		t.Errorf("%d words", len(words))
	}
	for _, w := range words {
		if len(w) < 3 || len(w) > 7 || strings.Trim(w, "abcdefghijklmnopqrstuvwxyz") != "" {
			t.Errorf("%q", w)
		}
	}
}

// TestAsked: what rules ask is met beside what systems take, and gives way to it
// where both cannot be.
func TestAsked(t *testing.T) {
	set, err := rules.Read("house.yaml", []byte("rules: house\nclauses:\n  - {id: length, expect: {min_length: at least 15}}\n"+
		"  - {id: longer, for: privileged, expect: {min_length: at least 20}}\n  - {id: mixed, expect: {min_classes: at least 3}}\n"+
		"  - {id: age, expect: {max_age: at most 90 days}}\n"))
	if err != nil {
		t.Fatal(err)
	}
	everybody := func(c *rules.Clause) bool { return c.For == nil }
	for _, c := range []struct {
		system map[string]string
		holds  func(*rules.Clause) bool
		length int
		note   string
	}{
		{map[string]string{"min_length": "8"}, everybody, 15, ""},
		{map[string]string{"min_length": "18"}, everybody, 18, ""},
		{map[string]string{"min_length": "8"}, func(*rules.Clause) bool { return true }, 20, ""},
		{map[string]string{"min_length": "8", "max_length": "10"}, everybody, 10, "ask for min_length 15"},
		{map[string]string{"alphabet": "digits", "max_length": "6"}, everybody, 6, "ask for min_length 15, min_classes 3"},
	} {
		asked := Asked("a", []*rules.Set{set}, c.holds)
		m, err := NewMint([]*Target{target("a", c.system), asked}, Wish{Bits: 40})
		if err != nil {
			t.Fatal(err)
		}
		made, err := m.Make()
		if err != nil || len(made) < c.length || len(made) > c.length || asked.Note != c.note {
			t.Errorf("%v: %d characters, note %q, %v", c.system, len(made), asked.Note, err)
		}
	}
	if Asked("a", []*rules.Set{set}, func(c *rules.Clause) bool { return c.Rule.Clause == "age" }) != nil {
		t.Error("an age is asked of candidates")
	}
}

// TestReaching: each policy that reaches somebody is told, and no other.
func TestReaching(t *testing.T) {
	s := subject(t)
	unused := policy(t, "unused", map[string]string{"min_length": "4"})
	unused.Roles = []string{"nobody"}
	of := s.Export.System()
	of.Policies = append(of.Policies, unused)
	list, err := Reaching(s)
	var got []string
	for _, target := range list {
		got = append(got, target.Name()+" "+setting.At(setting.MinLength).Text(target.Value(setting.MinLength)))
	}
	if err != nil || strings.Join(got, ", ") != "shop/everyone 8, shop/admins 16" {
		t.Errorf("%q, %v", got, err)
	}
}
