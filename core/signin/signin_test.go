package signin

import (
	"fmt"
	"strings"
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
		{"the third locks for four seconds", Lockout{Known: true, Attempts: 3, Window: -1, Duration: 4}, "wwwwwwwww", "2 4 6 3 0"},
		{"a right one sets back", Lockout{Known: true, Attempts: 3, Window: -1, Duration: 4}, "wwrwwrww", "0 0 6 0 0"},
		{"a key does not", Lockout{Known: true, Attempts: 3, Window: -1, Duration: 4}, "wwkwk", "1 1 3 0 0"},
		{"right ones are refused too", Lockout{Known: true, Attempts: 2, Window: -1, Duration: 10}, "wwrrr", "1 3 2 0 3"},
		{"within the window, both ends", Lockout{Known: true, Attempts: 2, Window: 3, Duration: 1}, "w--w", "1 0 2 0 0"},
		{"beyond it", Lockout{Known: true, Attempts: 2, Window: 3, Duration: 1}, "w---w", "0 0 2 0 0"},
		{"until unlocked", Lockout{Known: true, Attempts: 2, Window: -1, Duration: -1}, "wwwr--r", "1 5 2 1 2"},
		{"a lock that ends at once", Lockout{Known: true, Attempts: 2, Window: -1, Duration: 0}, "wwwww", "2 0 5 0 0"},
		{"each twice as long", Lockout{Known: true, Attempts: 1, Window: -1, Duration: 1, Longest: 4}, "wwwwwwwwwwwwwwww", "6 15 6 10 0"},
		{"and short again after a right one", Lockout{Known: true, Attempts: 1, Window: -1, Duration: 1, Longest: 4}, "w-w--rw-w", "4 4 4 0 0"},
		{"the address is shut first", Lockout{Known: true, Attempts: 9, Window: -1, Duration: 9, Source: Limit{2, 5, 3}}, "wwww-wrw", "0 0 4 0 0 2 0 2"},
		{"faster than the pause", Lockout{Known: true, Delay: 2}, "ww--wrw", "0 0 4 0 0 0 1"},
		{"never", Lockout{Known: true}, "wwwr", "0 0 3 0 0"},
		{"not known", Lockout{}, "www", "0 0 0 0 0"},
	} {
		r := New([][]Lockout{{c.l}}, func([]byte) int { return 0 })
		e := Event{Account: r.Accounts.Number([]byte("ada")), Source: r.Sources.Number([]byte("192.0.2.1")), Times: 1}
		for i, ch := range c.events {
			e.At = 1e12 + int64(i)*1e6
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
		r.Done()
		u := r.Account(0).Under[0]
		got := fmt.Sprint(u.Locks, u.Locked, u.Through, u.RefusedWrong, u.RefusedRight, u.ShutWrong+u.ShutRight, u.Slowed)
		if s := r.Source(0); s.Shut != nil {
			got += fmt.Sprint(" ", s.Shut[0])
		}
		if !strings.HasPrefix(got+" 0 0 ", c.want+" ") {
			t.Errorf("%s: %s, want %s", c.what, got, c.want)
		}
	}
}

// TestSet: few are counted exactly, many within a fifth, and twice the same is
// once.
func TestSet(t *testing.T) {
	for _, n := range []int{0, 1, 64, 65, 300, 5000, 200_000} {
		var s set
		var all sets
		for range 2 {
			for i := range n {
				all.add(&s, uint32(i))
			}
		}
		got, about := all.len(&s)
		if about != (n > exactly) || !about && got != n || about && (got < n*4/5 || got > n*6/5) {
			t.Errorf("%d are counted as %d, about %v", n, got, about)
		}
	}
}
