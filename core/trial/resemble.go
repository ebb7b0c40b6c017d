package trial

import (
	"strings"
	"unicode"

	"yewcone/core/facts"
)

// A Resemblance means that a stored candidate holds a word of a real account,
// so that it may be somebody's password.
type Resemblance struct {
	Number int // of the candidate in its file
	System string
	Login  string
	What   string // which of the account's data
}

// least is how long a word must be to count.
const least = 5

// Resembling streams the accounts of an export past the candidates of a file
// and tells which candidates hold the sign-in name or a name of an account
// that they are not said to be for. One resemblance is kept for a candidate.
func (f *File) Resembling(export facts.Export) ([]Resemblance, error) {
	pieces := map[string][]int{} // of candidates, by their places
	for i := range f.Wants {
		folded := []rune(strings.ToLower(f.Wants[i].Password))
		for from := range folded {
			for to := from + least; to <= min(len(folded), from+longestWord); to++ {
				piece := string(folded[from:to])
				if places := pieces[piece]; len(places) == 0 || places[len(places)-1] != i {
					pieces[piece] = append(places, i)
				}
			}
		}
	}
	seen := make([]bool, len(f.Wants))
	var list []Resemblance
	system := export.System().Name
	err := export.Accounts(func(a *facts.Account) error {
		look := func(word, what string) {
			for _, i := range pieces[strings.ToLower(word)] {
				if w := &f.Wants[i]; !seen[i] && w.As != a.Login && f.Whom.Account != a.Login {
					seen[i] = true
					list = append(list, Resemblance{i + 1, system, strings.Clone(a.Login), what})
				}
			}
		}
		look(a.Login, "the sign-in name")
		for _, name := range [3]string{a.FirstName, a.LastName, a.DisplayName} {
			for word := range strings.FieldsFuncSeq(name, func(r rune) bool { return !unicode.IsLetter(r) }) {
				look(word, "a part of the name")
			}
		}
		return nil
	})
	return list, err
}

// longestWord bounds the pieces of candidates that are looked up.
const longestWord = 24
