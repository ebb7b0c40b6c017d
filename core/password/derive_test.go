package password

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// refusedBy reports whether settings refuse an example.
func refusedBy(t *testing.T, e *Example, values map[string]string, lists Lists) bool {
	t.Helper()
	j, err := Judge(e.Candidate, &Against{Settings: asked(t, values), Person: e.Person, Lists: lists})
	if err != nil {
		t.Fatal(err)
	}
	return len(j.Refused) > 0
}

// phrases writes a set of switches as settings.
func phrases(set []Switch) map[string]string {
	values := map[string]string{}
	for _, s := range set {
		values[s.Setting.String()] = setting.At(s.Setting).Text(s.Value)
	}
	return values
}

// TestDeriveAgreesWithBruteForce: over the values of a few settings, no fewer
// switches tell the examples apart than were derived, each set does, and none
// of its values can be lowered.
func TestDeriveAgreesWithBruteForce(t *testing.T) {
	universe := map[string][]string{
		"min_length": {"", "1", "2", "3", "4", "5", "6", "7"}, "min_digits": {"", "1", "2", "3"}, "min_upper": {"", "1", "2"},
		"max_repeat": {"", "3", "2", "1"}, "digit_inside": {"", "yes"},
	}
	names := []string{"min_length", "min_digits", "min_upper", "max_repeat", "digit_inside"}
	within := func(id setting.ID, v setting.Value) bool {
		return slices.Contains(universe[id.String()], setting.At(id).Text(v))
	}
	r := rand.New(rand.NewPCG(3, 4))
	solved, impossible := 0, 0
	for range 150 {
		var list []Example
		for i := range 3 + r.IntN(4) {
			text := make([]byte, 1+r.IntN(6))
			for k := range text {
				text[k] = "aaB12"[r.IntN(5)]
			}
			list = append(list, Example{Candidate: NewCandidate(string(text)), Good: i == 0 || r.IntN(3) == 0})
		}
		tells := func(values map[string]string) bool {
			for i := range list {
				if refusedBy(t, &list[i], values, Lists{}) == list[i].Good {
					return false
				}
			}
			return true
		}
		fewest := -1
		var try func(i int, values map[string]string)
		try = func(i int, values map[string]string) {
			if i == len(names) {
				if (fewest < 0 || len(values) < fewest) && tells(values) {
					fewest = len(values)
				}
				return
			}
			for _, v := range universe[names[i]] {
				if delete(values, names[i]); v != "" {
					values[names[i]] = v
				}
				try(i+1, values)
			}
			delete(values, names[i])
		}
		try(0, map[string]string{})
		d, err := Derive(list, Lists{}, within)
		if err != nil {
			t.Fatal(err)
		}
		if fewest < 0 {
			if impossible++; len(d.Standing) == 0 || len(d.Sets) > 0 {
				t.Fatalf("%d examples that cannot be told apart: %+v", len(list), d)
			}
			continue
		}
		solved++
		for _, set := range d.Sets {
			if len(set) != fewest || !tells(phrases(set)) {
				t.Fatalf("%d examples: the set %v, where %d settings are enough; it tells them apart: %v", len(list),
					phrases(set), fewest, tells(phrases(set)))
			}
			for i, s := range set {
				values := phrases(set)
				all := universe[s.Setting.String()]
				at := slices.Index(all, values[s.Setting.String()])
				if at < 1 {
					t.Fatalf("%s %q is not among the values", s.Setting, values[s.Setting.String()])
				}
				if values[s.Setting.String()] = all[at-1]; at == 1 {
					delete(values, s.Setting.String())
				}
				if tells(values) {
					t.Fatalf("setting %d of %v could be lowered", i, phrases(set))
				}
			}
		}
		if len(d.Sets) == 0 {
			t.Fatal("no set")
		}
	}
	if solved < 20 || impossible < 20 {
		t.Errorf("only %d could be told apart and %d could not", solved, impossible)
	}
}

// TestDeriveLooksFurtherThanTheObvious: five passwords that are bad for five
// reasons fall to two settings, and a good one rules out those that come to
// mind first.
func TestDeriveLooksFurtherThanTheObvious(t *testing.T) {
	lists := Lists{Common: List{Words{"qwertyuiop": true, "welcome2026": true}, true}}
	var list []Example
	for _, text := range []string{"gangway", "oooooooooooo", "2580258025", "qwertyuiop", "welcome2026"} {
		list = append(list, Example{Candidate: NewCandidate(text)})
	}
	for _, text := range []string{"kelpovergranite", "Vixkelp77&"} {
		list = append(list, Example{Candidate: NewCandidate(text), Good: true})
	}
	d, err := Derive(list, lists, nil)
	if err != nil || len(d.Sets) != 1 {
		t.Fatalf("%+v, %v", d, err)
	}
	if got := fmt.Sprint(phrases(d.Sets[0])); got != "map[common_barred:yes min_distinct:6]" {
		t.Errorf("%s", got)
	}
	if !slices.Equal(d.Sets[0][0].Refuses, []int{0, 1, 2}) || !slices.Equal(d.Sets[0][1].Refuses, []int{3, 4}) {
		t.Errorf("%+v", d.Sets[0])
	}
	// A system without such a list cannot be told to refuse the well-known ones:
	// whether it takes the keys for a run is not known.
	d, err = Derive(list, lists, func(id setting.ID, v setting.Value) bool { return id != setting.CommonBarred })
	if err != nil || len(d.Standing) != 2 || d.Standing[0].Example != 3 || d.Standing[1].Example != 4 {
		t.Fatalf("%+v, %v", d, err)
	}
	for _, w := range d.Standing[1].Would {
		if w.Beyond != (w.Switch.Setting == setting.CommonBarred) || w.Beyond == (len(w.Good) > 0) {
			t.Errorf("%+v", w)
		}
	}
}

// TestDeriveKeepsToLimits: where the system takes certain values only, the
// least of these that refuses is found.
func TestDeriveKeepsToLimits(t *testing.T) {
	list := []Example{{Candidate: NewCandidate("abcdef")}, {Candidate: NewCandidate("correct horse"), Good: true}}
	d, err := Derive(list, Lists{}, func(id setting.ID, v setting.Value) bool {
		n, _ := v.Count()
		return id == setting.MinLength && n%4 == 0
	})
	if err != nil || len(d.Sets) != 1 || fmt.Sprint(phrases(d.Sets[0])) != "map[min_length:8]" {
		t.Errorf("%+v, %v", d, err)
	}
}

// TestDeriveSeesThroughSubstitutions: one switch more, where a name hides
// behind digits.
func TestDeriveSeesThroughSubstitutions(t *testing.T) {
	p := PersonOf(&facts.Account{Login: "okeane", LastName: "Keane"})
	list := []Example{{Candidate: NewCandidate("xk3an3xx"), Person: p},
		{Candidate: NewCandidate("tide7mark"), Person: p, Good: true},
		{Candidate: NewCandidate("k3lpb3dxx"), Person: p, Good: true},
		{Candidate: NewCandidate("x3k3a3nx"), Person: p, Good: true}}
	d, err := Derive(list, Lists{}, func(id setting.ID, _ setting.Value) bool {
		return id == setting.NamesBarred || id == setting.SubstitutionsSeen
	})
	if err != nil || len(d.Sets) != 1 || fmt.Sprint(phrases(d.Sets[0])) != "map[names_barred:yes substitutions_seen:yes]" {
		t.Errorf("%+v, %v", d, err)
	}
}

// TestDeriveIsQuick for dozens of examples with many settings at play.
func TestDeriveIsQuick(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	var list []Example
	for i := range 60 {
		text := make([]byte, 6+r.IntN(10))
		for k := range text {
			text[k] = byte('!' + r.IntN(90))
		}
		if i < 8 {
			text = append(text, "Ab1!Cd2?Ef3"...)
		}
		list = append(list, Example{Candidate: NewCandidate(string(text)), Good: i < 8})
	}
	if _, err := Derive(list, Lists{}, nil); err != nil {
		t.Fatal(err)
	}
}

// TestCollisions: what cannot be met together is named, and no more.
func TestCollisions(t *testing.T) {
	for _, c := range []struct {
		systems map[string]map[string]string
		want    string
	}{
		{map[string]map[string]string{"a": {"min_length": "15"}, "b": {"max_length": "8", "min_digits": "1"}},
			"a has min_length 15, b has max_length 8"},
		{map[string]map[string]string{"a": {"alphabet": "digits"}, "b": {"min_upper": "1", "min_length": "8"}},
			"a has alphabet digits, b has min_upper 1"},
		{map[string]map[string]string{"a": {"min_digits": "3", "max_length": "6"}, "b": {"min_upper": "4"}},
			"a has max_length 6, a has min_digits 3, b has min_upper 4"},
		{map[string]map[string]string{"a": {"alphabet": "digits", "min_distinct": "4"}, "b": {"max_run": "1"}}, ""},
		{map[string]map[string]string{"a": {"alphabet": "digits"}, "b": {"min_distinct": "11"}},
			"a has alphabet digits, b has min_distinct 11"},
		{map[string]map[string]string{"a": {"min_classes": "5"}}, "a has min_classes 5"},
	} {
		var claims []Claim
		for _, name := range []string{"a", "b"} {
			claims = append(claims, ClaimsOf(name, asked(t, c.systems[name]))...)
		}
		got := ""
		for i, set := range Collisions(claims, &Printable) {
			if i > 0 {
				got += "; "
			}
			got += Clash(set)
		}
		if got != c.want {
			t.Errorf("%v: %q, expected %q", c.systems, got, c.want)
		}
	}
}

// TestMeasure: what demands take is what the counts differ by.
func TestMeasure(t *testing.T) {
	m := MeasureOf(asked(t, map[string]string{"min_length": "2", "max_length": "10", "min_digits": "1", "min_upper": "2"}))
	if m.Length != 3 || m.Asked != 2 || m.Ceiling != 10 || len(m.Prices) != 2 {
		t.Fatalf("%+v", m)
	}
	// Three characters with two capitals and a digit: 26 x 26 x 10 in three orders.
	if m.AtLeast.Number.Int64() != 3*26*26*10 {
		t.Errorf("%v", m.AtLeast.Number)
	}
	if got := m.Prices[1]; got.Setting != setting.MinDigits || got.Bits >= 0 {
		t.Errorf("%+v", got)
	}
	if m := MeasureOf(asked(t, map[string]string{"min_length": "9", "max_length": "8"})); len(m.Collide) != 1 ||
		m.Length != 0 || !m.AtLeast.None() {
		t.Errorf("%+v", m)
	}
}

// TestHouse: words of the house and the calendar with decorations, and what
// only looks like them.
func TestHouse(t *testing.T) {
	h := NewHouse([]string{"Marrowby Sound Ferries", "Petrel"})
	for text, want := range map[string]bool{
		"Marrowby2026!": true, "m4rr0wby": true, "PetrelMarrowby": true, "Summer-2026": true, "12.may.77": true, "!!ferries": true,
		"MarrowbyPetrelSoundMay": false, "Marrowbye": false, "2026": false, "": false, "kelp2026": false, "sandbank": false,
	} {
		if got := h.Decorated(NewCandidate(text)); got != want {
			t.Errorf("%q: %v", text, got)
		}
	}
}

// FuzzJudge: no candidate and no settings panic or hang, and no reason holds a
// candidate.
func FuzzJudge(f *testing.F) {
	f.Add("Garnet7!", "garnet", "Vi Garnet", uint8(8), uint8(3))
	f.Add("日本語パスワード", "日本", "a\u0301\u0302", uint8(0), uint8(255))
	f.Add("0o1l!|$5@4", "ooll", "sa", uint8(40), uint8(1))
	f.Fuzz(func(t *testing.T, text, login, name string, a, b uint8) {
		values := map[string]string{"min_length": fmt.Sprint(1 + int(a)), "max_repeat": fmt.Sprint(1 + int(b)),
			"max_run": "3", "names_barred": "yes", "login_barred": "contained", "login_reversed_barred": "yes",
			"common_barred": "yes", "dictionary_barred": "yes", "min_distinct": fmt.Sprint(1 + int(b)/8)}
		if a%2 == 0 {
			values["substitutions_seen"] = "yes"
		}
		person := PersonOf(&facts.Account{Login: login, DisplayName: name, Description: name})
		c := NewCandidate(text)
		j, err := Judge(c, &Against{Settings: asked(t, values), Person: person, Old: NewCandidate(name),
			Lists: Lists{Common: List{Words{"garnet": true}, true}, Dictionary: List{Words{"garnet": true}, false}}})
		if err != nil {
			t.Fatal(err)
		}
		NewHouse([]string{login, name}).Decorated(c)
		for _, r := range append(j.Refused, j.Open...) {
			if len(text) > 8 && strings.Contains(r.Text, text) && !strings.Contains(plainReasons, text) {
				t.Errorf("%s quotes the candidate", r.Setting)
			}
		}
	})
}

// plainReasons are the words that reasons are made of, which a candidate may be
// too.
const plainReasons = "it needs at least characters and has none different it contains a part of the user's name " +
	"it contains the sign-in name backwards it is a well-known password in a row; the most is"

// FuzzCount: whatever is asked, counting ends, and asking more leaves no more.
func FuzzCount(f *testing.F) {
	f.Add(uint8(8), uint8(3), uint8(2), uint8(2), uint8(3), uint8(5))
	f.Add(uint8(200), uint8(0), uint8(60), uint8(1), uint8(1), uint8(90))
	f.Fuzz(func(t *testing.T, length, mixed, digits, repeat, run, distinct uint8) {
		c := Composition{Mixed: int(mixed) % 6, Repeat: int(repeat), Run: int(run), Distinct: int(distinct)}
		c.Of[Digit] = int(digits)
		alphabet := NewAlphabet("abcdefXYZ0123456789-+")
		space := c.Count(&alphabet, int(length))
		c.Of[Digit]++
		more := c.Count(&alphabet, int(length))
		if space.Exact && more.Exact && more.Number.Cmp(space.Number) > 0 {
			t.Errorf("%+v at %d: %v, and %v with a digit less", c, length, more.Number, space.Number)
		}
	})
}
