package delimited

import (
	"encoding/csv"
	"strings"
	"unsafe"

	"yewcone/intake/bytescan"
	"yewcone/intake/table"
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
	// What batch knows of some of the text.
	ends   bytescan.Places // of fields
	quotes bytescan.Finder
	quote  int // where the next quote stands, or a place before
}

// begin makes it ready for another text, and keeps the room that it has.
func (r *records) begin(text string, line int, comma byte) {
	r.text, r.pos, r.line, r.comma, r.quote = text, 0, line, comma, 0
	r.ends.Begin()
	r.quotes.Begin()
}

// next returns the next record and the line it begins on; ok is false at the
// end. The error is one of encoding/csv's ErrQuote and ErrBareQuote; then
// fields are those before it.
func (r *records) next() (fields []string, line int, ok bool, err error) {
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
		if strings.IndexByte(row, '"') >= 0 {
			return r.quoted(line)
		}
		r.advance(next, 1)
		r.split(row)
		return r.fields, line, true, nil
	}
}

// split cuts a row without quotes.
func (r *records) split(row string) {
	for {
		at := strings.IndexByte(row, r.comma)
		if at < 0 {
			break
		}
		r.fields = append(r.fields, row[:at])
		row = row[at+1:]
	}
	r.fields = append(r.fields, row)
}

// batch adds records to a batch as long as each is one line with as many fields as
// it should have, and without doubled quotes.
func (r *records) batch(b *table.Batch) {
	b.Whole = true
	r.ends.A, r.ends.B, r.quotes.Byte = r.comma, '\n', '"'
	for fields := b.Room(); fields != nil; fields = b.Room() {
		if rest := r.text[r.pos:]; strings.HasPrefix(rest, "\n") || strings.HasPrefix(rest, "\r\n") {
			r.advance(strings.IndexByte(rest, '\n')+1, 1)
			continue
		}
		if r.quote < r.pos || r.pos == 0 {
			r.quote = r.quotes.Next(r.text, r.pos)
		}
		ends := r.ends.From(r.text, r.pos, len(fields))
		if len(ends) < len(fields) {
			return // of the last something may have to be said
		}
		end := int(ends[len(fields)-1])
		if r.quote < end {
			if !r.putInQuotes(fields, ends[:len(fields)]) {
				end = r.withQuotes(fields)
			}
		} else if !put(fields, r.text, r.pos, ends[:len(fields)], r.comma) {
			return
		}
		if end < 0 {
			return
		}
		b.Add(table.Place{Line: r.line})
		r.advance(end+1-r.pos, 1)
	}
}

// put makes fields of the text from a place on up to their ends: delimiters, and behind
// the last a line feed; else it is no row of so many fields, and false is returned. All
// ends lie in the text, which is known to the caller and not tested for each again.
func put(fields []string, text string, from int, ends []uint32, comma byte) bool {
	base, last := unsafe.Pointer(unsafe.StringData(text)), len(fields)-1
	between, others := unsafe.Slice((*header)(unsafe.Pointer(unsafe.SliceData(fields))), last), byte(0)
	for k := range between {
		end := int(ends[k])
		between[k] = header{unsafe.Add(base, from), end - from}
		others |= *(*byte)(unsafe.Add(base, end)) ^ comma
		from = end + 1
	}
	end := int(ends[last])
	if others != 0 || text[end] != '\n' {
		return false
	}
	putOne(&fields[last], text, from, withoutReturn(text, from, end))
	return true
}

// putInQuotes is put for the row at hand, with quotes around some fields or all and
// nowhere else, also not around a delimiter; false where it is not so.
func (r *records) putInQuotes(fields []string, ends []uint32) bool {
	last, quotes, from := len(fields)-1, 0, r.pos
	line := int(ends[last])
	if line-from > bytescan.Stretch || r.text[line] != '\n' {
		return false
	}
	for k := range fields {
		end := int(ends[k])
		to := end
		if k == last {
			to = withoutReturn(r.text, from, end)
		} else if r.text[end] != r.comma {
			return false
		}
		if to-from > 1 && r.text[from] == '"' && r.text[to-1] == '"' {
			quotes += 2
			putOne(&fields[k], r.text, from+1, to-1)
		} else {
			putOne(&fields[k], r.text, from, to)
		}
		from = end + 1
	}
	if r.quotes.Count(r.text, r.pos, line) != quotes {
		return false
	}
	r.quote = r.quotes.Next(r.text, line)
	return true
}

// A header is a string as reflect.StringHeader describes it.
type header struct {
	data unsafe.Pointer
	len  int
}

// putOne makes one field, which keeps its place also where it has no byte, for
// table.Batch.Between.
func putOne(field *string, text string, from, to int) {
	*(*header)(unsafe.Pointer(field)) = header{unsafe.Add(unsafe.Pointer(unsafe.StringData(text)), from), to - from}
}

// withoutReturn is where a row ends before its line end.
func withoutReturn(text string, from, end int) int {
	if end > from && text[end-1] == '\r' {
		return end - 1
	}
	return end
}

// withQuotes is put for the row at hand, which has quotes, and returns where its line
// ends; fewer than none also where a quote stands elsewhere than around a field, or is
// doubled.
func (r *records) withQuotes(fields []string) int {
	text, from, n := r.text, r.pos, 0
	end := r.quote + strings.IndexByte(text[r.quote:], '\n')
	if end < r.quote {
		return -1
	}
	to := withoutReturn(text, from, end)
	for ends := r.ends.Through(text, from, end); ; {
		for len(ends) > 0 && int(ends[0]) < r.quote { // of fields without quotes
			if n == len(fields) || text[ends[0]] != r.comma {
				return -1
			}
			putOne(&fields[n], text, from, int(ends[0]))
			n, from, ends = n+1, int(ends[0])+1, ends[1:]
		}
		if n == len(fields) {
			return -1
		}
		if r.quote >= to {
			putOne(&fields[n], text, from, to)
			break
		}
		closing := r.quotes.Next(text, r.quote+1)
		if r.quote != from || closing >= to || closing+1 < to && text[closing+1] != r.comma {
			return -1
		}
		putOne(&fields[n], text, from+1, closing)
		if r.quote = r.quotes.Next(text, closing+1); closing+1 == to {
			break
		}
		for len(ends) > 0 && int(ends[0]) <= closing+1 {
			ends = ends[1:]
		}
		n, from = n+1, closing+2
	}
	if n+1 != len(fields) {
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
