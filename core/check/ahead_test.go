package check

import (
	"errors"
	"fmt"
	"testing"

	"yewcone/core/estate"
)

// TestReadAhead: accounts come in the order of the export and keep their
// lists, and an error of the receiver ends the reading.
func TestReadAhead(t *testing.T) {
	f := &fake{system: &estate.System{}}
	for i := range 5 * batchSize {
		f.accounts = append(f.accounts, estate.Account{Login: fmt.Sprint(i), Groups: []string{fmt.Sprint("g", i)}})
	}
	for _, until := range []int{len(f.accounts), 0, 1, batchSize - 1, batchSize, 3*batchSize + 7} {
		n, stop := 0, errors.New("enough")
		err := readAhead(f, func(a *estate.Account) error {
			if a.Login != fmt.Sprint(n) || a.Groups[0] != fmt.Sprint("g", n) {
				t.Fatalf("account %d is %s in %v", n, a.Login, a.Groups)
			}
			if n == until {
				return stop
			}
			n++
			return nil
		})
		if n != until || (until < len(f.accounts)) != errors.Is(err, stop) {
			t.Errorf("until %d: %d accounts, %v", until, n, err)
		}
	}
}
