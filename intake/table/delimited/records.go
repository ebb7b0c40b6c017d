package delimited

import (
	"encoding/binary"
	"encoding/csv"
	"math/bits"
	"strings"
	"unsafe"
)

// records reads delimited records (RFC 4180) out of a text, exactly as
// encoding/csv does: quoted fields may hold delimiters, line ends and doubled
// quotes; empty lines are skipped; after an error it goes on with the next
// line. It makes no strings of its own, but for fields with doubled quotes.
type records struct {
	text   string
	pos    int
	line   int // of pos
	comma  byte
	fields []string
	sought bool // whether quotes were looked for in the text
	quotes bool // and whether there are any
}

// next returns the next record and the line it begins on; ok is false at the
// end. The error is one of encoding/csv's ErrQuote and ErrBareQuote; then
// fields are those before it.
func (r *records) next() (fields []string, line int, ok bool, err error) {
	if !r.sought {
		r.sought, r.quotes = true, strings.IndexByte(r.text, '"') >= 0
	}
	for {
		if r.pos >= len(r.text) {
			return nil, 0, false, nil
		}
		line = r.line
		r.fields = r.fields[:0]
		rest := r.text[r.pos:]
		end := strings.IndexByte(rest, '\n')
		next := end + 1
		if end < 0 {
			end, next = len(rest), len(rest)
		}
		row := strings.TrimSuffix(rest[:end], "\r")
		if row == "" {
			r.advance(next, 1)
			continue
		}
		if r.quotes {
			if !r.splitQuoted(row) {
				r.fields = r.fields[:0]
				return r.quoted(line)
			}
			r.advance(next, 1)
			return r.fields, line, true, nil
		}
		r.advance(next, 1)
		r.split(row)
		return r.fields, line, true, nil
	}
}

// split cuts a row without quotes. Fields are short, so that to search for
// each delimiter on its own would mostly be spent on beginning to search:
// eight bytes are looked at together.
func (r *records) split(row string) {
	const ones, low = 0x0101010101010101, 0x7f7f7f7f7f7f7f7f
	commas := ones * uint64(r.comma)
	bytes := unsafe.Slice(unsafe.StringData(row), len(row)) // only read
	fields, from, i := r.fields, 0, 0
	for ; i+8 <= len(bytes); i += 8 {
		x := binary.LittleEndian.Uint64(bytes[i:]) ^ commas
		for found := ^((x&low + low) | x | low); found != 0; found &= found - 1 { // a bit for each byte that is zero
			at := i + bits.TrailingZeros64(found)/8
			fields = append(fields, row[from:at])
			from = at + 1
		}
	}
	for ; i < len(row); i++ {
		if row[i] == r.comma {
			fields = append(fields, row[from:i])
			from = i + 1
		}
	}
	r.fields = append(fields, row[from:])
}

// splitQuoted is split for a row that may have quoted fields; false where one is out
// of the ordinary.
func (r *records) splitQuoted(row string) bool {
	const ones, low, quotes = 0x0101010101010101, 0x7f7f7f7f7f7f7f7f, 0x2222222222222222
	commas := ones * uint64(r.comma)
	bytes := unsafe.Slice(unsafe.StringData(row), len(row)) // only read
	fields, from, i := r.fields, 0, 0
scan:
	for i+8 <= len(bytes) {
		word := binary.LittleEndian.Uint64(bytes[i:])
		x, y := word^commas, word^quotes
		found := ^((x&low + low) | x | low) | ^((y&low + low) | y | low)
		for ; found != 0; found &= found - 1 {
			at := i + bits.TrailingZeros64(found)/8
			if row[at] == r.comma {
				fields = append(fields, row[from:at])
				from = at + 1
				continue
			}
			end := r.closed(row, from, at)
			if end < 0 {
				return false
			}
			fields = append(fields, row[from+1:end])
			if from = end + 2; from > len(row) { // the field is the last
				r.fields = fields
				return true
			}
			i = from
			continue scan
		}
		i += 8
	}
	for ; i < len(row); i++ {
		switch row[i] {
		case r.comma:
			fields = append(fields, row[from:i])
			from = i + 1
		case '"':
			end := r.closed(row, from, i)
			if end < 0 {
				return false
			}
			fields = append(fields, row[from+1:end])
			if from = end + 2; from > len(row) {
				r.fields = fields
				return true
			}
			i = end + 1
		}
	}
	r.fields = append(fields, row[from:])
	return true
}

// closed finds the end of a field whose quote stands at a place; -1 where it is not
// a plain one.
func (r *records) closed(row string, from, quote int) int {
	if quote != from {
		return -1
	}
	n := strings.IndexByte(row[quote+1:], '"')
	end := quote + 1 + n
	if n < 0 || end+1 < len(row) && row[end+1] != r.comma {
		return -1
	}
	return end
}

func (r *records) advance(bytes, lines int) { r.pos, r.line = r.pos+bytes, r.line+lines }

// quoted reads a record with quotes in it. What stands between quoted fields is cut
// as a row without quotes is.
func (r *records) quoted(line int) ([]string, int, bool, error) {
	for {
		rest := r.text[r.pos:]
		end := strings.IndexByte(rest, '\n')
		lineEnd := end >= 0
		if !lineEnd {
			end = len(rest)
		}
		quote := strings.IndexByte(rest[:end], '"')
		switch {
		case quote < 0:
			r.split(strings.TrimSuffix(rest[:end], "\r"))
			if r.pos += end; lineEnd {
				r.advance(1, 1)
			}
			return r.fields, line, true, nil
		case quote > 0 && rest[quote-1] != r.comma:
			if before := strings.LastIndexByte(rest[:quote], r.comma); before >= 0 {
				r.split(rest[:before])
			}
			r.toNextLine()
			return r.fields, line, true, csv.ErrBareQuote
		case quote > 0:
			r.split(rest[:quote-1])
			r.pos += quote
		}
		ended, bad := r.inQuotes()
		if bad {
			return r.fields, line, true, csv.ErrQuote
		}
		if ended {
			return r.fields, line, true, nil
		}
	}
}

// inQuotes reads a quoted field; bad tells that its quotes are wrong.
func (r *records) inQuotes() (ended, bad bool) {
	start := r.pos + 1
	at, odd := start, false
	for {
		i := strings.IndexByte(r.text[at:], '"')
		if i < 0 {
			r.line += strings.Count(r.text[r.pos:], "\n")
			r.pos = len(r.text)
			return true, true
		}
		at += i
		if strings.HasPrefix(r.text[at+1:], `"`) {
			at, odd = at+2, true
			continue
		}
		break
	}
	field := r.text[start:at]
	if lines := strings.Count(field, "\n"); lines > 0 {
		r.line += lines
		if strings.Contains(field, "\r\n") {
			field = strings.ReplaceAll(field, "\r\n", "\n")
		}
	}
	if odd {
		field = strings.ReplaceAll(field, `""`, `"`)
	}
	r.pos = at + 1
	rest := r.text[r.pos:]
	switch {
	case rest != "" && rest[0] == r.comma:
		r.pos++
	case rest == "" || rest == "\r":
		r.pos = len(r.text)
		ended = true
	case rest[0] == '\n':
		r.advance(1, 1)
		ended = true
	case strings.HasPrefix(rest, "\r\n"):
		r.advance(2, 1)
		ended = true
	default:
		r.toNextLine()
		return true, true
	}
	r.fields = append(r.fields, field)
	return ended, false
}

// toNextLine skips what is left of the line.
func (r *records) toNextLine() {
	if i := strings.IndexByte(r.text[r.pos:], '\n'); i >= 0 {
		r.advance(i+1, 1)
	} else {
		r.pos = len(r.text)
	}
}

// afterRecord returns a cut for pieces of delimited records.
func afterRecord(comma byte) func(string) int {
	return func(s string) int {
		if strings.IndexByte(s, '"') < 0 {
			return strings.LastIndexByte(s, '\n') + 1
		}
		if whole, ok := afterQuotes(s, comma); ok {
			return whole
		}
		r := records{text: s, comma: comma}
		whole := 0
		for {
			_, _, ok, err := r.next()
			if !ok || r.pos == len(s) && (err != nil || !strings.HasSuffix(s, "\n")) {
				break
			}
			whole = r.pos
		}
		return whole
	}
}

// afterQuotes finds the last line end outside of quotes; false where a quote stands
// where none should, and rows end otherwise.
func afterQuotes(s string, comma byte) (int, bool) {
	whole, at := 0, 0
	for {
		n := strings.IndexByte(s[at:], '"')
		if n < 0 {
			if end := strings.LastIndexByte(s[at:], '\n'); end >= 0 {
				whole = at + end + 1
			}
			return whole, true
		}
		quote := at + n
		if quote > 0 && s[quote-1] != comma && s[quote-1] != '\n' {
			return 0, false
		}
		if end := strings.LastIndexByte(s[at:quote], '\n'); end >= 0 {
			whole = at + end + 1
		}
		for at = quote + 1; ; at += 2 { // past doubled quotes
			n := strings.IndexByte(s[at:], '"')
			if at += n; n < 0 || at+1 == len(s) {
				return whole, true // the text ends in the field
			}
			if s[at+1] != '"' {
				break
			}
		}
		at++
		if s[at] != comma && s[at] != '\n' && !strings.HasPrefix(s[at:], "\r\n") {
			return 0, false
		}
	}
}
