package signin

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"reflect"
	"testing"
	"yewcone/core/spool"
)

// tried are lockouts of two kinds of accounts, with and without limits of
// addresses, some of them alike.
var tried = [][]Lockout{
	{
		{Known: true, Attempts: 3, Window: 600, Duration: 1800},
		{Known: true, Attempts: 5, Window: -1, Duration: -1, Source: Limit{4, 600, 900}},
		{Known: true, Attempts: 2, Window: 60, Duration: 60, Longest: 3600, Delay: 2, Source: Limit{4, 600, 900}},
		{},
	},
	{
		{Known: true},
		{Known: true, Attempts: 9, Window: -1, Duration: 60, Source: Limit{2, 60, -1}},
		{Known: true, Source: Limit{2, 60, -1}},
		{Known: true, Source: Limit{3, -1, 5}},
	},
}

// made calls do with sign-ins that follow from a seed: of more names and addresses
// than one part has, a few of which have most.
func made(seed uint64, events int) func(*Book, func(*Event)) error {
	return func(book *Book, do func(*Event)) error {
		r := rand.New(rand.NewPCG(seed, 0))
		one := func(most int) int {
			if r.IntN(3) > 0 {
				return r.IntN(8)
			}
			return r.IntN(most)
		}
		at := int64(1.7e15)
		for range events {
			if at += int64(r.IntN(3)) * 1e6; r.IntN(50) == 0 {
				at += int64(r.IntN(7.2e9)) - 2e9
			}
			e := Event{At: at, Account: book.Account(fmt.Appendf(nil, "user%d", one(9000))), Source: book.Sources.Number(fmt.Appendf(nil, "10.0.0.%d", one(5000))),
				Times: 1, Outcome: Outcome(r.IntN(3))}
			if r.IntN(20) == 0 {
				e.Times = 1 + int32(r.IntN(9))
			}
			if r.IntN(40) == 0 {
				e.Source = book.Sources.Number(nil)
			}
			do(&e)
		}
		return nil
	}
}

// TestApart: what is put aside and counted part by part is what is counted as it
// comes.
func TestApart(t *testing.T) {
	of := func(account []byte) int { return int(account[len(account)-1]) % len(tried) }
	seeds := uint64(6)
	if testing.Short() {
		seeds = 2
	}
	for seed := range seeds {
		watch := seed%2 == 1
		whole, parts := New(tried, of), New(tried, of)
		whole.Watch, parts.Watch, parts.Jobs = watch, watch, int(seed)
		if err := whole.Run(made(seed, 60_000)); err != nil {
			t.Fatal(err)
		}
		scratch := func() (spool.Scratch, error) { return os.Create(filepath.Join(t.TempDir(), "scratch")) }
		if seed == 2 {
			scratch = nil
		}
		if err := parts.RunApart(scratch, made(seed, 60_000)); err != nil {
			t.Fatal(err)
		}
		if (!parts.apart.spool.InFile()) != (scratch == nil) {
			t.Errorf("a file is used: %v", parts.apart.spool.InFile())
		}
		accounts, sources := whole.Done()
		again, sourcesAgain := parts.Done()
		if !reflect.DeepEqual(accounts, again) || !reflect.DeepEqual(sources, sourcesAgain) || !reflect.DeepEqual(whole.Hours(), parts.Hours()) ||
			whole.Events != parts.Events || whole.OutOfOrder != parts.OutOfOrder {
			t.Fatalf("seed %d: another order, or other hours", seed)
		}
		refused := 0
		for _, n := range accounts {
			a, b := whole.Account(n), parts.Account(n)
			for i := range a.Under {
				refused += a.Under[i].ShutRight
				a.Under[i].lock, a.Under[i].inARow, a.Under[i].failed = hold{}, 0, 0 // on the way
			}
			a.Habits.runs, a.Habits.seen = [4]run{}, nil
			if !reflect.DeepEqual(a, b) {
				t.Fatalf("seed %d:\n%+v\n%+v", seed, a, b)
			}
			if _, from := parts.apart.account(parts, n); watch && !reflect.DeepEqual(from, whole.accounts.failedFrom(n)) {
				t.Fatalf("seed %d: %s failed from %v", seed, a.Name, from)
			}
		}
		for _, n := range sources {
			if a, b := whole.Source(n), parts.Source(n); !reflect.DeepEqual(a, b) {
				t.Fatalf("seed %d:\n%+v\n%+v", seed, a, b)
			}
		}
		if refused == 0 {
			t.Error("no right password is refused since an address is shut out")
		}
	}
}

// TestOrderOfMany: a record that is not in order is put in it, however long it is,
// and what stands at the same moment stays as it stood, or is turned round where
// the newest stands first.
func TestOrderOfMany(t *testing.T) {
	const n = inRun*2 + 500
	for _, newest := range []bool{false, true} {
		var got Event
		count := 0
		o := NewOrder(func() (spool.Scratch, error) { return os.Create(filepath.Join(t.TempDir(), "scratch")) }, func(e *Event) {
			before := e.At < got.At || e.At == got.At && (e.Account < got.Account) != newest
			if count++; before && count > 1 || e.Times != int32(e.Account%7+1) || e.Outcome != Outcome(e.Account%3) || e.Source != e.Account/2 {
				t.Fatalf("the %d. is %+v after %+v", count, *e, got)
			}
			got = *e
		})
		for i := range uint32(n) {
			at := int64(i/3) * 1e6 // three of a second
			if newest {
				at = int64(n/3-i/3) * 1e6
			} else if i%3 == 0 {
				at = int64((i*7919)%n) * 1e6
			}
			o.Add(&Event{At: at, Account: i, Source: i / 2, Times: int32(i%7 + 1), Outcome: Outcome(i % 3)})
		}
		if err := o.End(); err != nil || count != n {
			t.Errorf("newest first %v: %d, %v", newest, count, err)
		}
	}
}

// TestShutWithOthers: an address that is shut out since one name failed from there
// refuses the right password of another, who never failed.
func TestShutWithOthers(t *testing.T) {
	r := New([][]Lockout{{{Known: true}, {Known: true, Source: Limit{2, 60, 60}}}}, func([]byte) int { return 0 })
	address := r.Sources.Number([]byte("192.0.2.1"))
	for i, name := range []string{"bo", "ada", "ada", "bo"} {
		e := Event{At: 1e12 + int64(i)*1e6, Account: r.Accounts.Number([]byte(name)), Source: address, Times: 1, Outcome: Failed}
		if name == "bo" {
			e.Outcome = LetIn
		}
		r.Add(&e)
	}
	r.Done()
	a := r.Account(0)
	if u := a.Under; a.Failures != 0 || u[0].ShutRight != 0 || u[1].ShutRight != 1 || r.Source(0).Shut[1] != 1 {
		t.Errorf("%+v", u)
	}
}

// full is a file that takes no more, or gives nothing back.
type full struct {
	*os.File
	reads bool
}

func (f full) WriteAt(p []byte, at int64) (int, error) {
	if f.reads {
		return f.File.WriteAt(p, at)
	}
	return 0, errors.New("no space left")
}

func (full) ReadAt([]byte, int64) (int, error) { return 0, errors.New("no such block") }

// TestApartFull: a disk that is full, or breaks, is told, and nothing else happens.
func TestApartFull(t *testing.T) {
	for _, reads := range []bool{true, false} {
		r := New(tried, func([]byte) int { return 0 })
		err := r.RunApart(func() (spool.Scratch, error) {
			f, err := os.Create(filepath.Join(t.TempDir(), "scratch"))
			return full{f, reads}, err
		}, made(1, 150_000))
		if err == nil || r.Err() == nil {
			t.Errorf("reads %v: no error", reads)
		}
		r.Done()
		r.Account(1)
		_ = r.Close()
	}
}
