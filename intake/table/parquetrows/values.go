package parquetrows

import (
	"encoding/hex"
	"math/big"
	"strconv"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
)

// writerOf writes values of a type as texts; nil for what plain writes.
func writerOf(t parquet.Type) func(parquet.Value) string {
	if logical := t.LogicalType(); logical != nil {
		switch l := logical.Value.(type) {
		case *format.DateType:
			return func(v parquet.Value) string { return time.Unix(int64(v.Int32())*86400, 0).UTC().Format(time.DateOnly) }
		case *format.TimestampType:
			return timestamp(l)
		case *format.DecimalType:
			return func(v parquet.Value) string { return decimal(v, int(l.Scale)) }
		case *format.IntType:
			if !l.IsSigned {
				return func(v parquet.Value) string {
					if v.Kind() == parquet.Int32 {
						return strconv.FormatUint(uint64(v.Uint32()), 10)
					}
					return strconv.FormatUint(v.Uint64(), 10)
				}
			}
		case *format.UUIDType:
			return func(v parquet.Value) string {
				s := hex.EncodeToString(v.ByteArray())
				if len(s) != 32 {
					return s
				}
				return s[:8] + "-" + s[8:12] + "-" + s[12:16] + "-" + s[16:20] + "-" + s[20:]
			}
		}
	}
	return nil
}

func plain(v parquet.Value) string {
	switch v.Kind() {
	case parquet.Boolean:
		return strconv.FormatBool(v.Boolean())
	case parquet.Int32:
		return strconv.FormatInt(int64(v.Int32()), 10)
	case parquet.Int64:
		return strconv.FormatInt(v.Int64(), 10)
	case parquet.Int96:
		const julianOf1970 = 2440588
		i := v.Int96()
		nanos := int64(i[0]) | int64(i[1])<<32
		return moment(time.Unix((int64(i[2])-julianOf1970)*86400, nanos).UTC(), true)
	case parquet.Float:
		return strconv.FormatFloat(float64(v.Float()), 'f', -1, 32)
	case parquet.Double:
		return strconv.FormatFloat(v.Double(), 'f', -1, 64)
	}
	return strings.ToValidUTF8(string(v.ByteArray()), "\ufffd")
}

func timestamp(l *format.TimestampType) func(parquet.Value) string {
	unit := time.Nanosecond
	if l.Unit.Value != nil {
		unit = l.Unit.Value.Duration()
	}
	perSecond := int64(time.Second / unit)
	return func(v parquet.Value) string {
		n := v.Int64()
		seconds, rest := n/perSecond, n%perSecond
		if rest < 0 {
			seconds, rest = seconds-1, rest+perSecond
		}
		return moment(time.Unix(seconds, rest*int64(unit)).UTC(), l.IsAdjustedToUTC)
	}
}

// moment writes whole seconds; one that is of no zone says none.
func moment(at time.Time, utc bool) string {
	if utc {
		return at.Format(time.RFC3339)
	}
	return at.Format("2006-01-02T15:04:05")
}

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
