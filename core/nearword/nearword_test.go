package nearword

import "testing"

// TestOf: slips find the word that was meant, and other words find nothing.
func TestOf(t *testing.T) {
	words := []string{"max_age", "min_age", "min_length", "lockout_attempts", "history", "off", "no"}
	for word, want := range map[string]string{
		"max_aeg": "max_age", "maxage": "max_age", "MAX_AGE": "max_age", "min_lenght": "min_length",
		"lockout_attempt": "lockout_attempts", "lokout_atempts": "lockout_attempts", "hist": "", "histroy": "history",
		"of": "off",
		"":   "", "colour": "", "x": "", "zzzzzzzzzzzz": "",
	} {
		if got, ok := Of(word, words); got != want || ok != (want != "") {
			t.Errorf("%q finds %q, expected %q", word, got, want)
		}
	}
	if got := Advice("histroy", words); got != `; did you mean "history"?` {
		t.Errorf("%s", got)
	}
	if got := Advice("colour", words); got != "" {
		t.Errorf("%s", got)
	}
}

// TestDistance is a metric on the words of a few letters, but for the swap of
// neighbours, which counts once.
func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"", "", 0}, {"a", "", 1}, {"ab", "ba", 1}, {"abc", "acb", 1}, {"abc", "abcd", 1}, {"kitten", "sitting", 3}, {"ä", "a", 1}} {
		if got, back := distance([]rune(c.a), []rune(c.b)), distance([]rune(c.b), []rune(c.a)); got != c.want || back != got {
			t.Errorf("%q to %q: %d, and back %d; expected %d", c.a, c.b, got, back, c.want)
		}
	}
}
