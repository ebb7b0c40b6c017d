package signin

import (
	"bytes"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
)

// A Folding says which ways of writing a name mean the same account, as the
// system has it.
type Folding struct {
	Case   bool // capital letters are small ones
	Domain bool // what stands before a backslash or behind an at sign is no part of it
	DN     bool // names are distinguished names
}

// Fold writes a name as the record numbers it. It returns the same bytes where
// nothing folds.
func (f Folding) Fold(name []byte) []byte {
	if f.Domain {
		if at := bytes.LastIndexByte(name, '\\'); at >= 0 {
			name = name[at+1:]
		} else if at := bytes.IndexByte(name, '@'); at > 0 {
			name = name[:at]
		}
	}
	if f.Case || f.DN {
		name = bytes.ToLower(name)
	}
	return name
}

// A Record is where a system's sign-ins are read from. What it has is read once,
// whoever asks.
type Record struct {
	Name string // of its files, as it is told
	AsOf int64  // the moment that the export speaks for, in seconds since 1970; 0 where not known
	Read func(*Book, func(*Event)) error

	once   sync.Once
	digest *Digest
	err    error
}

// Digest reads the record the first time, and counts what was read in progress,
// which may be nil.
func (r *Record) Digest(progress *atomic.Int64) (*Digest, error) {
	r.once.Do(func() {
		replay := New(func(string) []Lockout { return nil })
		replay.Watch, replay.asOf, replay.Progress = true, r.AsOf*1e6, progress
		if r.err = r.Read(&replay.Book, replay.Add); r.err == nil {
			r.digest = digestOf(replay, r.Name)
		}
	})
	return r.digest, r.err
}

// A Digest is what a record has of each name.
type Digest struct {
	Name     string
	Sources  []*Source
	folding  Folding
	accounts map[string]*entry
}

type entry struct {
	*Account
	claimed atomic.Bool // some account of the export has this name
}

func digestOf(r *Replay, name string) *Digest {
	accounts, sources := r.Done()
	d := &Digest{Name: name, Sources: sources, folding: r.Folding, accounts: make(map[string]*entry, len(accounts))}
	for _, a := range accounts {
		d.accounts[a.Name] = &entry{Account: a}
	}
	return d
}

// Of is what the record has of an account; nil for nothing. It may be called
// by several at a time.
func (d *Digest) Of(login, dn string) *Account {
	if d == nil {
		return nil
	}
	name := login
	if d.folding.DN {
		name = dn
	}
	e := d.accounts[name]
	if e == nil && d.folding != (Folding{}) {
		e = d.accounts[string(d.folding.Fold([]byte(name)))]
	}
	if e == nil {
		return nil
	}
	if !e.claimed.Load() {
		e.claimed.Store(true)
	}
	return e.Account
}

// Unclaimed are the names of no account that was asked for, in their order.
func (d *Digest) Unclaimed() []*Account {
	var list []*Account
	for _, e := range d.accounts {
		if !e.claimed.Load() {
			list = append(list, e.Account)
		}
	}
	slices.SortFunc(list, func(a, b *Account) int { return strings.Compare(a.Name, b.Name) })
	return list
}
