package facts

import (
	"fmt"
	"strings"
)

// An Export is one system as its export tells it. Readers implement it.
type Export interface {
	// System returns what holds apart from the accounts.
	System() *System
	// Accounts hands over each account in turn; the account is only good
	// until yield returns. It stops at the first error of yield and returns it.
	Accounts(yield func(*Account) error) error
	// Notes returns what there is to say of the reading, in the order of the
	// files; complete only after Accounts.
	Notes() *Notes
}

// An Unread names what a reader found in a file and did not use.
type Unread struct {
	File  string
	Names []string // columns, keys or attributes, in the order of their names
}

// A Skipper is an Export that knows what it did not use; complete only after
// Accounts.
type Skipper interface {
	Unread() []Unread
}

// A LineTable is what the lines of a mapping find in one file.
type LineTable struct {
	File  string
	Rows  int // read; 1 for a list of keys and values
	Lines []Line
}

// A Line is what one line of a mapping, which fills a setting or fact from one
// place, finds in the rows. The counts add up to the rows.
type Line struct {
	At       Origin // in the mapping
	Name     string // of the setting or fact
	From     string // the column or key
	Login    bool   // it tells accounts apart
	Read     int    // rows with a value that was understood
	Answered int    // rows with nothing there, of which the mapping says what that means
	Open     int    // rows with nothing there, which stay unknown
	Off      int    // rows in which a switch beside it is off, so that it does not count
	Refused  int    // rows with a value that was not understood
	Distinct int    // different values, read or refused
	More     bool   // there are more than that
}

// Doubt says what looks wrong with a line over a number of rows; "" for
// nothing.
func (l *Line) Doubt(rows int) string {
	switch {
	case rows == 0:
		return ""
	case l.Refused > 0 && l.Read == 0:
		return "no value is understood"
	case l.Refused > 0:
		return "not all values are understood"
	case l.Open == rows:
		return "nothing stands there"
	case l.Login && !l.More && l.Distinct < l.Read:
		return "one name stands in several rows"
	case rows > 20 && l.Distinct == 1 && l.Read == rows:
		return "the same everywhere"
	}
	return ""
}

// A LineTeller is an Export that is read by the lines of a mapping, and tells
// what each finds. It may read the files once more.
type LineTeller interface {
	Lines() ([]LineTable, error)
}

// A Part is a run of an export's accounts.
type Part interface {
	// Accounts hands over the part's accounts as Export.Accounts does. It may
	// run at the same time as that of other parts.
	Accounts(yield func(*Account) error) error
	// Done is called once for each part that was read, in the order of the
	// parts; then what there is to note of it joins the export's notes.
	Done()
}

// A Portable part can be read by one process and taken in by another, which has the
// same export.
type Portable interface {
	Part
	// Pack returns what was noted of the part, once it was read to its end.
	Pack() ([]byte, error)
	// Unpack puts that in the place of reading it: then Done takes it in.
	Unpack(noted []byte) error
	// Pass gives back what a part holds that nobody reads.
	Pass()
}

// PassOver gives back what a part holds that nobody reads.
func PassOver(p Part) {
	if portable, ok := p.(Portable); ok {
		portable.Pass()
	} else {
		p.Done()
	}
}

// A Chooser is a Part that can hand over some of its accounts without filling in the
// others.
type Chooser interface {
	Part
	// Choose hands over those of its accounts that are wanted, by their numbers in the
	// part, counted from 1.
	Choose(wanted func(number int64) bool, yield func(number int64, a *Account) error) error
}

// A Divided export can be read in parts side by side.
type Divided interface {
	Export
	// Parts hands over all parts in their order. It stops at the first error
	// of yield and returns it.
	Parts(yield func(Part) error) error
}

// InOrder is Export.Accounts for an export that knows its parts: it reads them
// one after the other.
func InOrder(parts func(func(Part) error) error, yield func(*Account) error) error {
	return parts(func(p Part) error {
		if err := p.Accounts(yield); err != nil {
			return err
		}
		p.Done()
		return nil
	})
}

// Parts divides an export; the accounts of one that is not Divided are
// copied into batches, so that at least reading and judging go on at the same
// time.
func Parts(export Export) func(func(Part) error) error {
	if d, ok := export.(Divided); ok {
		return d.Parts
	}
	return func(yield func(Part) error) error { return Batches(export.Accounts, yield) }
}

// BatchSize is how many accounts or records a batch has. Tests make it small, so that few
// are several batches.
var BatchSize = 512

// A batch is a part whose accounts were read already.
type batch struct {
	accounts []Account
	back     chan *batch
}

func (b *batch) Accounts(yield func(*Account) error) error {
	for i := range b.accounts {
		if err := yield(&b.accounts[i]); err != nil {
			return err
		}
	}
	return nil
}

// Done gives the batch back to be filled again.
func (b *batch) Done() {
	select {
	case b.back <- b:
	default:
	}
}

// Batches divides accounts that can only be read one after the other, by
// copying them.
func Batches(accounts func(yield func(*Account) error) error, yield func(Part) error) error {
	back := make(chan *batch, 64)
	take := func() *batch {
		select {
		case b := <-back:
			b.accounts = b.accounts[:0]
			return b
		default:
			return &batch{accounts: make([]Account, 0, BatchSize), back: back}
		}
	}
	b := take()
	err := accounts(func(a *Account) error {
		b.accounts = b.accounts[:len(b.accounts)+1]
		b.accounts[len(b.accounts)-1].CopyFrom(a)
		if len(b.accounts) < BatchSize {
			return nil
		}
		full := b
		b = take()
		return yield(full)
	})
	if err != nil || len(b.accounts) == 0 {
		return err
	}
	return yield(b)
}

// A NotFound means that a system has no account of a name.
type NotFound struct {
	System string
	Login  string
	Near   []string // names that may have been meant
}

func (n *NotFound) Error() string {
	text := fmt.Sprintf("%s has no account %q", n.System, n.Login)
	if len(n.Near) > 0 {
		text += "; did you mean " + strings.Join(n.Near, ", ") + "?"
	}
	return text
}
