package delimited

import (
	"encoding/csv"
	"math/bits"
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
	ends   [mostCut + 16]int

	// What batch knows of some of the text.
	commas, quotes, lineEnds bytescan.Finder
	quote                    int // where the next quote stands, or a place before
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
	for fields := b.Room(); fields != nil; fields = b.Room() {
		end := r.lineEnd()
		if end < 0 {
			return // of the last something may have to be said
		}
		row := end
		if row > r.pos && r.text[row-1] == '\r' {
			row--
		}
		if row == r.pos {
			r.advance(end+1-r.pos, 1)
			continue
		}
		if r.quote < r.pos {
			r.quote = r.quotes.Next(r.text[:r.commas.To], r.pos)
		}
		n := 0
		if r.quote >= row {
			n = r.cut(fields, r.pos, row)
		} else {
			n = r.cutQuoted(fields, r.pos, row)
		}
		if n != len(fields) {
			return
		}
		b.Add(table.Place{Line: r.line})
		r.advance(end+1-r.pos, 1)
	}
}

// lineEnd is the next place of a line feed; -1 where there is none in as many bytes as
// are marked together. All delimiters and quotes before it are marked.
func (r *records) lineEnd() int {
	if r.pos < r.commas.From || r.pos >= r.commas.To {
		r.mark()
	}
	end := r.lineEnds.Next(r.text[:r.commas.To], r.pos)
	if end == r.commas.To && r.commas.From < r.pos && r.commas.To < len(r.text) {
		r.mark()
		end = r.lineEnds.Next(r.text[:r.commas.To], r.pos)
	}
	if end == r.commas.To {
		return -1
	}
	return end
}

// mark marks what matters in the text at hand.
func (r *records) mark() {
	r.commas.Byte, r.commas.Often, r.quotes.Byte, r.lineEnds.Byte = r.comma, true, '"', '\n'
	r.commas.Mark(r.text, r.pos)
	r.quotes.Mark(r.text, r.pos)
	r.lineEnds.Mark(r.text, r.pos)
	r.quote = -1
}

// mostCut is how many fields are cut together.
const mostCut = 1000

// cut cuts what stands between two marked places, without quotes, into fields,
// and returns how many there are; fewer than none where they are too many. The places of
// eight delimiters are taken whether there are so many or not, which is quicker than to
// ask.
func (r *records) cut(fields []string, from, to int) int {
	n := 0
	last := to - r.commas.From
	within := ^uint64(0) << ((from - r.commas.From) % 64)
	for word := (from - r.commas.From) / 64; word*64 < last; word++ {
		found := r.commas.Marks[word] & within
		within = ^uint64(0)
		if left := last - word*64; left < 64 {
			found &= 1<<left - 1
		}
		i := r.commas.From + word*64
		count := bits.OnesCount64(found)
		if n+count >= len(fields) || n+count > mostCut {
			return -1
		}
		for ; ; n, count = n+8, count-8 {
			at := (*[8]int)(r.ends[n:])
			at[0] = i + bits.TrailingZeros64(found)
			found &= found - 1
			at[1] = i + bits.TrailingZeros64(found)
			found &= found - 1
			at[2] = i + bits.TrailingZeros64(found)
			found &= found - 1
			at[3] = i + bits.TrailingZeros64(found)
			found &= found - 1
			at[4] = i + bits.TrailingZeros64(found)
			found &= found - 1
			at[5] = i + bits.TrailingZeros64(found)
			found &= found - 1
			at[6] = i + bits.TrailingZeros64(found)
			found &= found - 1
			at[7] = i + bits.TrailingZeros64(found)
			if count <= 8 {
				break
			}
			found &= found - 1
		}
		n += count
	}
	r.ends[n] = to
	put(fields[:n+1], r.text, from, r.ends[:])
	return n + 1
}

// put makes fields of the text from a place on up to their ends, with a byte between them.
// All ends lie in the text, which is known to the caller and not tested for each again;
// one without a byte keeps its place, for table.Batch.Between.
func put(fields []string, text string, from int, ends []int) {
	type header struct { // of a string, as reflect.StringHeader describes it
		data unsafe.Pointer
		len  int
	}
	base := unsafe.Pointer(unsafe.StringData(text))
	headers := unsafe.Slice((*header)(unsafe.Pointer(unsafe.SliceData(fields))), len(fields))
	ends = ends[:len(headers)]
	for k := range headers {
		end := ends[k]
		headers[k] = header{unsafe.Add(base, from), end - from}
		from = end + 1
	}
}

// cutQuoted is cut with quotes; fewer than none also where one stands elsewhere than
// around a field, or is doubled.
func (r *records) cutQuoted(fields []string, from, to int) int {
	n, marked := 0, r.text[:r.commas.To]
	for quote := r.quote; ; {
		switch {
		case n == len(fields):
			return -1
		case quote >= to:
			r.quote = quote
			return n + r.cut(fields[n:], from, to)
		case quote > from && r.text[quote-1] != r.comma:
			return -1
		case quote > from:
			more := r.cut(fields[n:], from, quote-1)
			if n += more; more < 0 {
				return -1
			}
		}
		end := r.quotes.Next(marked, quote+1)
		if n == len(fields) || end >= to || end+1 < to && r.text[end+1] != r.comma {
			return -1
		}
		r.ends[0] = end
		put(fields[n:n+1], r.text, quote+1, r.ends[:1])
		n++
		quote = r.quotes.Next(marked, end+1)
		if end+1 == to {
			r.quote = quote
			return n
		}
		from = end + 2
	}
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
