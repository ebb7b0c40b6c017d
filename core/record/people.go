package record

import (
	"cmp"
	"encoding/binary"
	"fmt"
	"io"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/spool"
)

// People reads the accounts of a system, by their sign-in names: those of one system at a
// time, since those of all may take more memory than there is.
type People func() ([]Account, error)

// An Account is what is kept of an account.
type Account struct {
	Login        string `json:"l"`
	Enabled      Answer `json:"e,omitempty"`
	Privileged   Answer `json:"p,omitempty"`
	NeverExpires Answer `json:"n,omitempty"`
	CannotChange Answer `json:"c,omitempty"`
	BlankAllowed Answer `json:"b,omitempty"`
	SecondFactor Answer `json:"f,omitempty"`
	PasswordSet  string `json:"s,omitempty"`
	Policy       string `json:"o,omitempty"` // that it names
	Under        string `json:"u,omitempty"` // the policy that holds first
}

// An Answer is a facts.Tri, kept as "yes" or "no"; what is not known is left out.
type Answer facts.Tri

// The answers that are kept.
const (
	Unknown = Answer(facts.Unknown)
	No      = Answer(facts.No)
	Yes     = Answer(facts.Yes)
)

// MarshalText returns "yes", "no" or nothing.
func (a Answer) MarshalText() ([]byte, error) {
	switch a {
	case Yes:
		return []byte("yes"), nil
	case No:
		return []byte("no"), nil
	}
	return nil, nil
}

// UnmarshalText reads what MarshalText wrote.
func (a *Answer) UnmarshalText(text []byte) error {
	switch string(text) {
	case "yes":
		*a = Yes
	case "no":
		*a = No
	case "":
		*a = Unknown
	default:
		return fmt.Errorf("an answer is \"yes\" or \"no\", not text of %d bytes", len(text))
	}
	return nil
}

// AllPeople are the accounts of a system that lists them, by their sign-in names.
func (x *System) AllPeople() ([]Account, error) {
	if x.Read == nil {
		return x.People, nil
	}
	return x.Read()
}

// One is the one copy of a text that many accounts have alike.
func One(copies map[string]string, text string) string {
	if one, ok := copies[text]; ok {
		return one
	}
	copies[text] = text
	return text
}

// A listing is accounts of a system that are put aside as bytes.
type listing struct {
	aside   *spool.Spool
	stream  spool.Stream
	scratch []byte
}

func (a *Account) answers() []*Answer {
	return []*Answer{&a.Enabled, &a.Privileged, &a.NeverExpires, &a.CannotChange, &a.BlankAllowed, &a.SecondFactor}
}

func (a *Account) texts() []*string { return []*string{&a.Login, &a.PasswordSet, &a.Policy, &a.Under} }

func (l *listing) add(a *Account) {
	to := l.scratch[:0]
	for _, answer := range a.answers() {
		to = append(to, byte(*answer))
	}
	for _, text := range a.texts() {
		to = binary.AppendUvarint(to, uint64(len(*text)))
		to = append(to, *text...)
	}
	l.stream.Write(l.aside, to)
	l.scratch = to
}

func (l *listing) read() ([]Account, error) {
	r := l.stream.Reader(l.aside, make([]byte, spool.BlockSize))
	var list []Account
	once := map[string]string{}
	for bytes := []byte(nil); r.More(); {
		var a Account
		for _, answer := range a.answers() {
			*answer = Answer(r.Uint())
		}
		for i, text := range a.texts() {
			bytes = r.Bytes(bytes[:0], int(r.Uint()))
			if i == 0 {
				*text = string(bytes)
			} else {
				*text = One(once, string(bytes))
			}
		}
		list = append(list, a)
	}
	if r.Bad {
		return nil, fmt.Errorf("accounts that were put aside: %w", cmp.Or(l.aside.Err(), io.ErrUnexpectedEOF))
	}
	slices.SortStableFunc(list, func(a, b Account) int { return strings.Compare(a.Login, b.Login) })
	return list, nil
}
