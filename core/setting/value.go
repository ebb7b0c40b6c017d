// Package setting holds the catalogue of password settings, the values that
// settings take, and the one order of strictness. Everything that asks "is
// this weaker" asks here.
package setting

import (
	"cmp"
	"strconv"
)

// State says what a Value holds.
type State uint8

// The states of a Value. The zero Value is Unknown.
const (
	Unknown       State = iota // the export does not show
	Off                        // said, and switched off
	Amount                     // a count
	Duration                   // a length of time
	UntilUnlocked              // a lock that only an administrator ends
	Choice                     // one out of an ordered list, by index
	Flag                       // yes or no
)

// A Value is what a system says of one setting. It is small and comparable
// with ==, which asks for the same representation: 12 months and 360 days
// differ under ==; Setting.Compare tells which of two values is stricter.
type Value struct {
	state  State
	number int64 // count, index of the choice, or 0 and 1 of a flag
	span   Span
}

// OffValue is the state "said, and switched off".
var OffValue = Value{state: Off}

// UntilUnlockedValue is the lockout duration that only an administrator ends.
var UntilUnlockedValue = Value{state: UntilUnlocked}

// Count returns the amount n.
func Count(n int64) Value { return Value{state: Amount, number: n} }

// For returns a length of time.
func For(s Span) Value { return Value{state: Duration, span: s} }

// Days returns a length of n days.
func Days(n int32) Value { return For(Span{Days: n}) }

// Seconds returns a length of n seconds, as whole days when they are whole.
func Seconds(n int64) Value { return For(SpanOfSeconds(n)) }

// Yes and No are the two values of a flag.
var (
	Yes = Value{state: Flag, number: 1}
	No  = Value{state: Flag}
)

// YesNo returns Yes for true and No for false.
func YesNo(b bool) Value {
	if b {
		return Yes
	}
	return No
}

// State says what the value holds.
func (v Value) State() State { return v.state }

// Known reports whether the export says anything.
func (v Value) Known() bool { return v.state != Unknown }

// Count returns the amount, and false when the value holds none.
func (v Value) Count() (int64, bool) { return v.number, v.state == Amount }

// Span returns the length of time, and false when the value holds none.
func (v Value) Span() (Span, bool) { return v.span, v.state == Duration }

// Flag returns yes as true, and ok false when the value is no flag.
func (v Value) Flag() (yes, ok bool) { return v.number == 1, v.state == Flag }

// Index returns the place of a choice in its list, weakest first.
func (v Value) Index() (int, bool) { return int(v.number), v.state == Choice }

// AppendKey appends bytes that differ for values that differ under ==.
func (v Value) AppendKey(b []byte) []byte {
	b = append(b, byte(v.state))
	b = strconv.AppendInt(b, v.number, 36)
	if v.state == Duration {
		b = append(b, '.')
		b = strconv.AppendInt(b, int64(v.span.Months), 36)
		b = append(b, '.')
		b = strconv.AppendInt(b, int64(v.span.Days), 36)
		b = append(b, '.')
		b = strconv.AppendInt(b, v.span.Seconds, 36)
	}
	return append(b, ';')
}

// representation orders values by how they are written, so that of two
// equally strict values every merge picks the same one.
func representation(a, b Value) int {
	return cmp.Or(cmp.Compare(a.state, b.state), cmp.Compare(a.number, b.number),
		cmp.Compare(a.span.Months, b.span.Months), cmp.Compare(a.span.Days, b.span.Days),
		cmp.Compare(a.span.Seconds, b.span.Seconds))
}
