package parquetrows

import (
	"encoding/binary"
	"encoding/hex"
	"math/big"
	"strconv"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
)

// A writer writes the values of a column as texts.
type writer struct {
	// number adds the text of a whole number, a date or a moment; nil for other types.
	number func([]byte, int64) []byte
	second func(int64) int64          // of a moment of which the zone is known; nil for other types
	other  func(parquet.Value) string // nil for what plain writes
	asIs   bool                       // texts are what is kept
}

// text writes a value that is not null.
func (w *writer) text(v parquet.Value) string {
	switch {
	case w.number != nil && v.Kind() == parquet.Int32:
		return string(w.number(nil, int64(v.Int32())))
	case w.number != nil:
		return string(w.number(nil, v.Int64()))
	case w.other != nil:
		return w.other(v)
	}
	return plain(v)
}

func writerOf(t parquet.Type) writer {
	kind, whole := t.Kind(), func(b []byte, n int64) []byte { return strconv.AppendInt(b, n, 10) }
	if logical := t.LogicalType(); logical != nil {
		switch l := logical.Value.(type) {
		case *format.DateType:
			if kind == parquet.Int32 {
				return writer{number: appendDate}
			}
		case *format.TimestampType:
			if kind == parquet.Int64 {
				second := secondsOf(l)
				w := writer{number: func(b []byte, n int64) []byte { return appendMoment(b, second(n), l.IsAdjustedToUTC) }}
				if l.IsAdjustedToUTC {
					w.second = second
				}
				return w
			}
		case *format.DecimalType:
			return writer{other: func(v parquet.Value) string { return decimal(v, int(l.Scale)) }}
		case *format.IntType:
			if l.IsSigned {
				break
			}
			if whole = appendUnsigned; kind == parquet.Int32 {
				whole = func(b []byte, n int64) []byte { return appendUnsigned(b, int64(uint32(n))) }
			}
		case *format.UUIDType:
			return writer{other: func(v parquet.Value) string {
				s := hex.EncodeToString(v.ByteArray())
				if len(s) != 32 {
					return s
				}
				return s[:8] + "-" + s[8:12] + "-" + s[12:16] + "-" + s[16:20] + "-" + s[20:]
			}}
		}
	}
	if kind == parquet.Int32 || kind == parquet.Int64 {
		return writer{number: whole}
	}
	return writer{asIs: true}
}

func appendUnsigned(b []byte, n int64) []byte { return strconv.AppendUint(b, uint64(n), 10) }

func plain(v parquet.Value) string {
	switch v.Kind() {
	case parquet.Boolean:
		return strconv.FormatBool(v.Boolean())
	case parquet.Int96:
		const julianOf1970 = 2440588
		i := v.Int96()
		nanos := int64(i[0]) | int64(i[1])<<32
		return string(appendMoment(nil, time.Unix((int64(i[2])-julianOf1970)*secondsOfDay, nanos).Unix(), true))
	case parquet.Float:
		return strconv.FormatFloat(float64(v.Float()), 'f', -1, 32)
	case parquet.Double:
		return strconv.FormatFloat(v.Double(), 'f', -1, 64)
	}
	return strings.ToValidUTF8(string(v.ByteArray()), "\ufffd")
}

// secondsOf makes whole seconds of a type's moments.
func secondsOf(l *format.TimestampType) func(int64) int64 {
	if l.Unit.Value != nil {
		switch l.Unit.Value.Duration() { // what is divided by is known when the program is built, which makes it quick
		case time.Millisecond:
			return func(n int64) int64 { return floored(n, 1e3) }
		case time.Microsecond:
			return func(n int64) int64 { return floored(n, 1e6) }
		}
	}
	return func(n int64) int64 { return floored(n, 1e9) }
}

// floored divides, and rounds down.
func floored(n, by int64) int64 {
	q := n / by
	if q*by > n {
		q--
	}
	return q
}

const secondsOfDay = 86400

// appendMoment writes a moment in whole seconds since 1970; one that is of no zone says none.
func appendMoment(b []byte, seconds int64, utc bool) []byte {
	day := floored(seconds, secondsOfDay)
	second := uint32(seconds - day*secondsOfDay)
	b = append(appendDate(b, day), "T00:00:00Z"...)
	t := b[len(b)-len("T00:00:00Z"):]
	put(t[1:], second/3600)
	put(t[4:], second/60%60)
	put(t[7:], second%60)
	if utc {
		return b
	}
	return b[:len(b)-1]
}

// appendDate writes a day, counted from 1970.
func appendDate(b []byte, day int64) []byte {
	const days400, from0 = 146097, 719468  // days of 400 years, and from March 1 of the year 0 to 1970
	if day < -from0+306 || day > 2932896 { // not of the years 1 to 9999
		return time.Unix(day*secondsOfDay, 0).UTC().AppendFormat(b, time.DateOnly)
	}
	// Years begin with March here, so that the day more of a leap year is their last.
	d := uint32(day + from0)
	era := d / days400
	d %= days400
	year := (d - d/1460 + d/36524 - d/(days400-1)) / 365
	d -= 365*year + year/4 - year/100
	month := (5*d + 2) / 153
	d -= (153*month + 2) / 5
	if year += 400 * era; month >= 10 {
		month, year = month-12, year+1
	}
	b = append(b, "0000-00-00"...)
	t := b[len(b)-len("0000-00-00"):]
	put(t, year/100)
	put(t[2:], year%100)
	put(t[5:], month+3)
	put(t[8:], d+1)
	return b
}

// put writes a number below 100.
func put(b []byte, n uint32) { binary.LittleEndian.PutUint16(b, twoDigits[n%100]) }

// twoDigits are the numbers below 100 as two digits, the first one lowest.
var twoDigits = func() (all [100]uint16) {
	for n := range all {
		all[n] = uint16('0'+n/10) | uint16('0'+n%10)<<8
	}
	return all
}()

// decimal writes a number that is kept without its point.
func decimal(v parquet.Value, scale int) string {
	var n big.Int
	switch v.Kind() {
	case parquet.Int32:
		n.SetInt64(int64(v.Int32()))
	case parquet.Int64:
		n.SetInt64(v.Int64())
	default:
		raw := v.ByteArray()
		n.SetBytes(raw)
		if len(raw) > 0 && raw[0] >= 0x80 { // two's complement
			n.Sub(&n, new(big.Int).Lsh(big.NewInt(1), uint(8*len(raw))))
		}
	}
	text, sign := n.String(), ""
	if n.Sign() < 0 {
		text, sign = text[1:], "-"
	}
	if scale <= 0 || scale > 100 {
		return sign + text
	}
	for len(text) <= scale {
		text = "0" + text
	}
	whole, rest := text[:len(text)-scale], strings.TrimRight(text[len(text)-scale:], "0")
	if rest == "" {
		return sign + whole
	}
	return sign + whole + "." + rest
}
