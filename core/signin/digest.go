package signin

import (
	"sync"
	"sync/atomic"
	"yewcone/core/spool"
)

// A Record is where a system's sign-ins are read from. What it has is read once,
// whoever asks.
type Record struct {
	Name string // of its files, as it is told
	AsOf int64  // the moment that the export speaks for, in seconds since 1970; 0 where not known
	Read func(*Book, func(*Event)) error
	// Scratch makes a file for what does not stay in memory; nil for none.
	Scratch func() (spool.Scratch, error)

	once   sync.Once
	digest *Digest
	err    error
}

// Digest reads the record the first time, so many counting at a time, and counts
// what was read in progress, which may be nil.
func (r *Record) Digest(jobs int, progress *atomic.Int64) (*Digest, error) {
	r.once.Do(func() {
		replay := New([][]Lockout{nil}, func([]byte) int { return 0 })
		replay.Watch, replay.asOf, replay.Jobs, replay.Progress = true, r.AsOf*1e6, jobs, progress
		if r.err = replay.RunApart(r.Scratch, r.Read); r.err == nil {
			r.digest = digestOf(replay, r.Name)
		}
	})
	return r.digest, r.err
}

// A Digest is what a record has of each name.
type Digest struct {
	Name    string
	replay  *Replay
	sources []uint32
	claimed []atomic.Bool // by the number of the name: some account of the export has it
}

func digestOf(r *Replay, name string) *Digest {
	_, sources := r.Done()
	return &Digest{Name: name, replay: r, sources: sources, claimed: make([]atomic.Bool, r.Accounts.Len())}
}

// Of is what the record has of an account; nil for nothing. It may be called
// by several at a time.
func (d *Digest) Of(login, dn string) *Account {
	name := []byte(login)
	folding := d.replay.Folding
	if folding.DN {
		name = []byte(dn)
	}
	n, ok := d.replay.Accounts.Find(name)
	if !ok && folding != (Folding{}) {
		n, ok = d.replay.Accounts.Find(folding.Fold(name))
	}
	if !ok {
		return nil
	}
	if !d.claimed[n].Load() {
		d.claimed[n].Store(true)
	}
	a := d.replay.Account(n)
	return &a
}

// Sources calls do for each address, those with most failures first.
func (d *Digest) Sources(do func(*Source)) {
	for n := range d.replay.SourcesByName(d.sources) {
		s := d.replay.Source(n)
		do(&s)
	}
}

// Unclaimed calls do for each name of no account that was asked for, in the order
// of the record.
func (d *Digest) Unclaimed(do func(a *Account)) {
	for n := range d.claimed {
		if !d.claimed[n].Load() {
			a, _ := d.replay.apart.account(d.replay, uint32(n))
			do(&a)
		}
	}
}

// MostTried is the address that failed with most of the names that Unclaimed tells
// of and that never were let in, and with how many; of as many the first.
func (d *Digest) MostTried() (source string, names int) {
	with := make([]uint32, d.replay.Sources.Len())
	for n := range d.claimed {
		if d.claimed[n].Load() {
			continue
		}
		if a, from := d.replay.apart.account(d.replay, uint32(n)); a.LetIn+a.ByKey == 0 {
			for _, s := range from {
				with[s]++
			}
		}
	}
	for n, times := range with {
		if int(times) > names {
			source, names = d.replay.Sources.Name(uint32(n)), int(times)
		}
	}
	return source, names
}

// Err is what failed of the scratch file, once all was asked for.
func (d *Digest) Err() error { return d.replay.Err() }
