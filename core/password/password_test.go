package password

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
	"yewcone/core/setting/settingtest"
)

// asked makes settings from phrases such as "at 8"; what is not named is
// unknown.
func asked(t testing.TB, values map[string]string) Settings {
	t.Helper()
	list := map[setting.ID]setting.Value{}
	for name, text := range values {
		id, ok := setting.Find(name)
		if !ok {
			t.Fatalf("no setting is named %q", name)
		}
		v, err := setting.At(id).Parse(text)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		list[id] = v
	}
	return func(id setting.ID) setting.Value { return list[id] }
}

// every calls back with all texts of a length over an alphabet.
func every(characters []rune, length int, each func(string)) {
	made := make([]rune, length)
	var fill func(i int)
	fill = func(i int) {
		if i == length {
			each(string(made))
			return
		}
		for _, r := range characters {
			made[i] = r
			fill(i + 1)
		}
	}
	fill(0)
}

// randomDemands makes settings that leave something, mostly.
func randomDemands(r *rand.Rand) map[string]string {
	values := map[string]string{}
	maybe := func(name string, most int) {
		if r.IntN(3) == 0 {
			values[name] = fmt.Sprint(1 + r.IntN(most))
		}
	}
	maybe("min_length", 4)
	maybe("max_length", 5)
	maybe("min_classes", 3)
	for _, name := range []string{"min_letters", "min_lower", "min_upper", "min_digits", "min_symbols"} {
		maybe(name, 2)
	}
	maybe("max_repeat", 3)
	maybe("max_run", 3)
	maybe("min_distinct", 4)
	for _, name := range []string{"digit_inside", "symbol_inside"} {
		if r.IntN(4) == 0 {
			values[name] = "yes"
		}
	}
	if r.IntN(5) == 0 {
		values["alphabet"] = []string{"digits", "letters and digits", "any"}[r.IntN(3)]
	}
	return values
}

// TestCountingAgreesWithBruteForce: over small alphabets, a password is
// counted just when it is judged acceptable, and minted just then too.
func TestCountingAgreesWithBruteForce(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	alphabets := []string{"abAB01!?", "abcC12.", "0123456", "qwerfQ1-", "aé5 ", "xy"}
	counted := 0
	for range 150 {
		values := randomDemands(r)
		settings := asked(t, values)
		characters := alphabets[r.IntN(len(alphabets))]
		length := 1 + r.IntN(5)
		alphabet := NewAlphabet(characters)
		composition, _ := CompositionOf(settings)
		accepted := map[string]bool{}
		every([]rune(characters), length, func(text string) {
			j, err := Judge(NewCandidate(text), &Against{Settings: settings})
			if err != nil {
				t.Fatal(err)
			}
			differ := values["max_run"] != "" && slices.ContainsFunc(j.Open, func(r Reason) bool { return r.Setting == setting.MaxRun }) // some systems refuse it
			if len(j.Refused) == 0 && !differ {
				accepted[text] = true
			}
		})
		space := composition.Count(&alphabet, length)
		if want := big.NewInt(int64(len(accepted))); !space.Exact || space.Number.Cmp(want) != 0 {
			t.Fatalf("%v over %q at %d: counted %v (exact %v), there are %v", values, characters, length, space.Number, space.Exact, want)
		}
		counted += len(accepted)
		m, err := NewMinter(&composition, &alphabet, length)
		if (err == ErrNone) != (len(accepted) == 0) {
			t.Fatalf("%v over %q at %d: %v, though %d are acceptable", values, characters, length, err, len(accepted))
		}
		if err != nil {
			continue
		}
		for range 20 {
			text, err := m.Make()
			if err != nil {
				t.Fatal(err)
			}
			if !accepted[text] {
				t.Fatalf("%v over %q: a password was made that is refused", values, characters)
			}
		}
	}
	if counted < 10000 {
		t.Errorf("only %d acceptable passwords were seen", counted)
	}
}

// TestMintingIsUniform: every acceptable password comes about as often as any
// other (chi-square far inside its bounds).
func TestMintingIsUniform(t *testing.T) {
	settings := asked(t, map[string]string{"min_length": "3", "min_digits": "1", "max_repeat": "2", "digit_inside": "yes"})
	alphabet := NewAlphabet("abA01")
	composition, _ := CompositionOf(settings)
	m, err := NewMinter(&composition, &alphabet, 3)
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]int{}
	const rounds = 40000
	for range rounds {
		text, err := m.Make()
		if err != nil {
			t.Fatal(err)
		}
		seen[text]++
	}
	kinds := int(m.Space.Number.Int64())
	if len(seen) != kinds {
		t.Fatalf("%d kinds were made of %d", len(seen), kinds)
	}
	square, mean := 0.0, float64(rounds)/float64(kinds)
	for _, n := range seen {
		square += (float64(n) - mean) * (float64(n) - mean) / mean
	}
	if limit := float64(kinds) * 1.8; square > limit {
		t.Errorf("chi-square is %.0f over %d kinds, expected below %.0f", square, kinds, limit)
	}
}

// TestCountsByHand: figures worked out on paper, at real sizes.
func TestCountsByHand(t *testing.T) {
	power := func(base, exponent int64) *big.Int {
		return new(big.Int).Exp(big.NewInt(base), big.NewInt(exponent), nil)
	}
	minus := func(a *big.Int, more ...*big.Int) *big.Int {
		a = new(big.Int).Set(a)
		for _, b := range more {
			a.Sub(a, b)
		}
		return a
	}
	for _, c := range []struct {
		values map[string]string
		length int
		want   *big.Int
	}{
		{map[string]string{"min_length": "8"}, 8, power(95, 8)},
		{map[string]string{"min_digits": "1"}, 8, minus(power(95, 8), power(85, 8))},
		// inclusion and exclusion over small letters and digits
		{map[string]string{"min_digits": "1", "min_lower": "1"}, 12,
			new(big.Int).Add(minus(power(95, 12), power(85, 12), power(69, 12)), power(59, 12))},
		// four digits of a keypad, all different: 10 x 9 x 8 x 7
		{map[string]string{"alphabet": "digits", "min_distinct": "4"}, 4, big.NewInt(5040)},
		// not all four the same
		{map[string]string{"alphabet": "digits", "max_repeat": "3"}, 4, big.NewInt(9990)},
		// no two neighbours: after each digit itself and eight others for 0 and
		// 9 (9 and 0 are neighbours on the keyboard), so eight for each
		{map[string]string{"alphabet": "digits", "max_run": "1"}, 2, big.NewInt(80)},
		{map[string]string{"alphabet": "letters and digits"}, 10, power(62, 10)},
		{map[string]string{"min_length": "9"}, 8, new(big.Int)},
	} {
		composition, _ := CompositionOf(asked(t, c.values))
		if got := composition.Count(&Printable, c.length); got.Number.Cmp(c.want) != 0 || !got.Exact {
			t.Errorf("%v at %d: %v, expected %v", c.values, c.length, got.Number, c.want)
		}
	}
}

// TestLargeSpaces: whatever is asked, counting ends soon and says when it
// leaves something out.
func TestLargeSpaces(t *testing.T) {
	for _, values := range []map[string]string{
		{"min_length": "14", "max_run": "3", "max_repeat": "2", "min_classes": "3", "min_digits": "2", "min_upper": "2"},
		{"min_length": "60", "min_distinct": "40", "max_repeat": "4", "min_symbols": "12"},
		{"min_length": "200", "min_digits": "50", "min_symbols": "50", "min_upper": "50", "min_lower": "50"},
		{"min_length": "4000", "max_run": "3"},
	} {
		composition, _ := CompositionOf(asked(t, values))
		start := time.Now()
		space := composition.Count(&Printable, composition.Least)
		t.Logf("%v: %v, exact %v, %.1f bits", values, time.Since(start), space.Exact, space.Bits())
		without := Composition{}
		all := without.Count(&Printable, composition.Least)
		if space.None() || space.Bits() > all.Bits() {
			t.Errorf("%v: %.1f bits of %.1f", values, space.Bits(), all.Bits())
		}
	}
}

// TestJudge holds each demand against candidates that it refuses, takes and
// cannot judge.
func TestJudge(t *testing.T) {
	person := PersonOf(&facts.Account{Login: "mkeane", FirstName: "Siobhán", LastName: "Keane",
		DisplayName: "Siobhán Keane", Description: "Night cook, Heron Wharf; on the ro-ro"})
	const sees = "substitutions_seen"
	for _, c := range []struct {
		setting, value, more string
		candidate            string
		want                 outcome
	}{
		{"min_length", "8", "", "Garnet7", refuses},
		{"min_length", "8", "", "Gärnét7x", passes}, // characters, not bytes
		{"min_length", "8", "", "Ga\u0308rnet7", refuses},
		{"min_length", "", "", "Garnet7", open},
		{"min_length", "none", "", "x", passes},
		{"max_length", "8", "", "Garnet7Garnet", refuses},
		{"max_length", "none", "", "Garnet7Garnet", passes},
		{"min_classes", "3", "", "garnet7", refuses},
		{"min_classes", "3", "", "Garnet7", passes},
		{"min_classes", "5", "", "Garnet7!日", passes},
		{"min_letters", "3", "", "ab1234", refuses},
		{"min_lower", "1", "", "GARNET", refuses},
		{"min_upper", "1", "", "garnet", refuses},
		{"min_upper", "1", "", "Élan", passes},
		{"min_digits", "2", "", "garnet7", refuses},
		{"min_symbols", "1", "", "garnet seven", passes},
		{"digit_inside", "yes", "", "garnet7", refuses},
		{"digit_inside", "yes", "", "garn7et", passes},
		{"digit_inside", "", "", "garn7et", passes},
		{"digit_inside", "", "", "garnet7", open},
		{"symbol_inside", "yes", "", "garnet!", refuses},
		{"max_repeat", "2", "", "gaaarnet", refuses},
		{"max_repeat", "2", "", "gaaArnet", passes},
		{"max_repeat", "", "", "garnet", passes},
		{"max_run", "3", "", "x1234y", refuses},
		{"max_run", "3", "", "xdcbay", refuses},
		{"max_run", "3", "", "XDCBAY", refuses},
		{"max_run", "3", "", "xDcBay", open}, // of a run in capitals and small letters, of a keyboard's row and
		{"max_run", "3", "", "xrewqy", open}, // of a table of characters systems think differently
		{"max_run", "3", "", "x89:;y", open},
		{"max_run", "2", "", "x89:;y", open},
		{"max_run", "1", "", "x89:;y", refuses},
		{"max_run", "3", "", "890x", passes},
		{"max_run", "3", "", "7890x", open},
		{"max_run", "3", "", "132435", passes},
		{"min_distinct", "4", "", "112233", refuses},
		{"alphabet", "digits", "", "12a4", refuses},
		{"alphabet", "letters and digits", "", "abc!", refuses},
		{"alphabet", "letters and digits", "", "abc1", passes},
		{"alphabet", "", "", "1234", passes},
		{"login_barred", "equal", "", "MKeane", refuses},
		{"login_barred", "equal", "", "MKeane1", passes},
		{"login_barred", "contained", "", "xMKeane1", refuses},
		{"login_barred", "contained", sees + "=yes", "xmk3ane1", refuses},
		{"login_barred", "contained", sees + "=no", "xmk3ane1", passes},
		{"login_barred", "contained", "", "xmk3ane1", open},
		{"login_barred", "", "", "harbour", passes},
		{"login_barred", "", "", "mkeane", open},
		{"login_barred", "off", "", "mkeane", passes},
		{"login_reversed_barred", "yes", "", "enaekm77", refuses},
		{"names_barred", "yes", "", "cold-keane-9", refuses},
		{"names_barred", "yes", "", "SIOBHÁN", refuses},
		{"names_barred", "no", "", "keane", passes},
		{"description_barred", "yes", "", "myHeron", refuses},
		{"description_barred", "yes", "", "the-ro-ro", passes},
		{"strength_floor", "fair", "", "x", open},
		{"strength_floor", "none", "", "x", passes},
		{"history", "5", "", "OldGarnet7", refuses},
		{"history", "5", "", "NewGarnet7", passes},
		{"min_changed", "3", "", "OldGarnetXY", refuses},
		{"min_changed", "3", "", "OldGarnetXYZ", passes},
		{"common_barred", "yes", "", "Anchor99", refuses},
		{"common_barred", "yes", sees + "=yes", "4nch0r99", refuses},
		{"common_barred", "yes", "", "unlisted", passes},
		{"common_barred", "no", "", "anchor99", passes},
		{"dictionary_barred", "yes", "", "7Harbour!!", refuses},
		{"dictionary_barred", "yes", sees + "=yes", "h4rb0ur!!", refuses},
		{"dictionary_barred", "yes", "", "harbouring", passes},
		{"breached_barred", "yes", "", "Tide-1999", refuses},
		{"breached_barred", "yes", "", "tide-1999", passes},
	} {
		values := map[string]string{}
		if c.value != "" {
			values[c.setting] = c.value
		}
		if c.more != "" {
			values[sees] = c.more[len(sees)+1:]
		}
		against := &Against{Settings: asked(t, values), Person: person, Old: NewCandidate("OldGarnet7"), Lists: Lists{
			Common: List{Words{"anchor99": true}, true}, Dictionary: List{Words{"harbour": true}, true},
			Breached: List{Words{"Tide-1999": true}, true},
		}}
		j, err := Judge(NewCandidate(c.candidate), against)
		if err != nil {
			t.Fatal(err)
		}
		got := passes
		for _, r := range j.Open {
			if r.Setting.String() == c.setting {
				got = open
			}
		}
		if j.Refuses(settingtest.ID(c.setting)) {
			got = refuses
		}
		if got != c.want {
			t.Errorf("%s %q, %q: outcome %d, expected %d", c.setting, c.value, c.candidate, got, c.want)
		}
	}
}

// Words is a list in memory.
type Words map[string]bool

func (w Words) Has(text string) (bool, error) { return w[text], nil }

// TestBlank: the empty password is decided by one setting alone.
func TestBlank(t *testing.T) {
	for value, want := range map[string][2]int{"": {0, 1}, "no": {1, 0}, "yes": {0, 0}} {
		values := map[string]string{"min_length": "8"}
		if value != "" {
			values["blank_allowed"] = value
		}
		j, err := Judge(NewCandidate(""), &Against{Settings: asked(t, values)})
		if err != nil || len(j.Refused) != want[0] || len(j.Open) != want[1] {
			t.Errorf("blank_allowed %q: %+v, %v", value, j, err)
		}
	}
}

// TestEveryDemandIsDocumented: each names a setting and says what it refuses.
func TestEveryDemandIsDocumented(t *testing.T) {
	for _, d := range Demands() {
		if d.Doc == "" {
			t.Errorf("%s has no definition", d.Setting)
		}
	}
}
