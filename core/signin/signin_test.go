package signin

import (
	"fmt"
	"testing"
)

// TestUnder: what a lock refuses is not counted, an end of a window counts, a
// right password sets back, and a lock without an end lasts to the record's.
func TestUnder(t *testing.T) {
	for _, c := range []struct {
		what   string
		l      Lockout
		events string // a second apart: w wrong, r right, k by key, - nothing
		want   string // locks, seconds locked, through, wrong refused, right refused
	}{
		{"the third locks for four seconds", Lockout{true, 3, -1, 4}, "wwwwwwwww", "2 4 6 3 0"},
		{"a right one sets back", Lockout{true, 3, -1, 4}, "wwrwwrww", "0 0 6 0 0"},
		{"a key does not", Lockout{true, 3, -1, 4}, "wwkwk", "1 1 3 0 0"},
		{"right ones are refused too", Lockout{true, 2, -1, 10}, "wwrrr", "1 3 2 0 3"},
		{"within the window, both ends", Lockout{true, 2, 3, 1}, "w--w", "1 0 2 0 0"},
		{"beyond it", Lockout{true, 2, 3, 1}, "w---w", "0 0 2 0 0"},
		{"until unlocked", Lockout{true, 2, -1, -1}, "wwwr--r", "1 5 2 1 2"},
		{"a lock that ends at once", Lockout{true, 2, -1, 0}, "wwwww", "2 0 5 0 0"},
		{"never", Lockout{Known: true}, "wwwr", "0 0 3 0 0"},
		{"not known", Lockout{}, "www", "0 0 0 0 0"},
	} {
		r := New(func(string) []Lockout { return []Lockout{c.l} })
		e := Event{Account: r.Accounts.Number([]byte("ada")), Source: r.Sources.Number(nil), Times: 1}
		for i, ch := range c.events {
			e.At = int64(i) * 1e6
			switch ch {
			case 'w':
				e.Outcome = Failed
			case 'r':
				e.Outcome = LetIn
			case 'k':
				e.Outcome = ByKey
			default:
				continue
			}
			r.Add(&e)
		}
		accounts, _ := r.Done()
		u := accounts[0].Under[0]
		if got := fmt.Sprint(u.Locks, u.Locked, u.Through, u.RefusedWrong, u.RefusedRight); got != c.want {
			t.Errorf("%s: %s, want %s", c.what, got, c.want)
		}
	}
}

// TestSet: few are counted exactly, many within a fifth, and twice the same is
// once.
func TestSet(t *testing.T) {
	for _, n := range []int{0, 1, 64, 65, 300, 5000, 200_000} {
		var s set
		for range 2 {
			for i := range n {
				s.add(uint32(i))
			}
		}
		got, about := s.len()
		if about != (n > exactly) || !about && got != n || about && (got < n*4/5 || got > n*6/5) {
			t.Errorf("%d are counted as %d, about %v", n, got, about)
		}
	}
}
