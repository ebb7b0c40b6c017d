// Package ldif reads LDIF (RFC 2849) entry by entry, and knows what its
// readers share: groups within groups, distinguished names, time stamps.
package ldif

import (
	"encoding/base64"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unsafe"

	"yewcone/core/facts"
	"yewcone/intake/bytescan"
	"yewcone/intake/text"
)

// Entries reads the content records of LDIF (RFC 2849) out of a piece of a
// file: folded lines, base64 values, comments, CR LF. What slows a general
// reader down it leaves out: every entry reuses the memory of the one before,
// and values are parts of the piece.
type Entries struct {
	Wanted  map[string]bool // attributes that are kept, in small letters
	Skipped map[string]bool // attributes that were not
	Watch   Watch           // attributes that are noted in Entry.Seen
	Search  bool            // there are lines that a search tool writes beside the entries
	Line    int             // of the last line read
	Closed  bool            // no entry was begun that an empty line does not follow
	Failed  string          // how a search ended, where that was no good end (RFC 4511), such as "4 Size limit exceeded"
	Told    int             // how many entries a search tool says there are; -1 where it does not
	Briefly bool            // texts that are put together are good until the next entry only

	text  string
	pos   int
	feeds bytescan.Finder // of line feeds
	entry Entry
	start knownName    // what stands before the first attribute
	last  *knownName   // the one before
	order []*knownName // the attributes of the entry in their order, of which the first are enough
	names map[string]*knownName
	dn    *knownName // how the line that an entry begins with is written; nil before the first
	units units

	raw     string // the unfolded line
	rawLine int
	folded  []byte
	decoded []byte
	late    []lateValue
}

// A knownName is how an attribute's name is written, and what is known of it.
type knownName struct {
	raw, begin  string // as it is written, and with the colon and, where it is wanted, the blank after it
	name        string // in small letters, without options; "" where nobody wants it
	seen        Seen
	mark        marks
	place       int                   // of the mark
	flag, class bool                  // it is true or false; it is the object class
	after       [mostAfter]*knownName // what came after it: entries are mostly like others before
}

const (
	mostAfter = 3
	mostOrder = 100   // attributes of an entry whose order is kept
	mostNames = 10000 // ways to write a name that are kept
)

// A lateValue is a value that had to be put together; it becomes a text when
// the entry is whole.
type lateValue struct{ attr, from, to int }

// AfterEntry cuts after the last empty line.
func AfterEntry(s string) int {
	for end := len(s); end > 0; {
		i := strings.LastIndexByte(s[:end], '\n')
		if i <= 0 {
			break
		}
		if s[i-1] == '\n' || i > 1 && s[i-1] == '\r' && s[i-2] == '\n' {
			return i + 1
		}
		end = i
	}
	return 0
}

// NewEntries returns the entries of a file's first piece.
func NewEntries(wanted map[string]bool) *Entries {
	return &Entries{feeds: bytescan.Finder{Byte: '\n'}, Wanted: wanted, Skipped: map[string]bool{}, names: map[string]*knownName{}, units: units{}, Told: -1}
}

// Begin goes on with a piece, which begins behind an empty line.
func (r *Entries) Begin(piece text.Piece) {
	r.text, r.pos, r.Line, r.Closed = piece.Text, 0, piece.Line-1, true
	r.feeds.Begin()
}

// A BadEntry is an entry that cannot be read; the reading goes on after it.
type BadEntry struct {
	Line    int
	Message string
	ending  text.Ending // a tool's error, where it is one that was printed among the entries
}

// Tell notes the entry: it is refused, or the file ends there before its end.
func (b *BadEntry) Tell(notes *facts.Notes, file string) {
	origin := facts.Origin{File: file, Line: b.Line}
	if b.ending.Failed {
		b.ending.Tell(notes, origin, 0)
		return
	}
	notes.Refuse(origin, "the entry is left out: %s", b.Message)
}

func (b *BadEntry) Error() string { return b.Message }

func (r *Entries) bad(format string, args ...any) error {
	ending, _ := text.EndingOf(r.raw)
	return &BadEntry{r.rawLine, fmt.Sprintf(format, args...), ending}
}

// Next returns the next entry, io.EOF at the end of the piece, or a *BadEntry.
func (r *Entries) Next() (*Entry, error) {
	e := &r.entry
	*e = Entry{Attrs: e.Attrs[:0], normal: e.normal[:0], units: r.units}
	if text.Spoil && r.Briefly {
		clear(r.decoded)
	}
	r.last, r.order, r.late, r.decoded = &r.start, r.order[:0], r.late[:0], r.decoded[:0]
	r.named(e)
	for {
		if e.Line > 0 {
			r.plain(e)
		}
		ok := r.logical()
		if !ok || r.raw == "" {
			if e.Line > 0 {
				r.Closed = ok
				r.settle(e)
				return e, nil
			}
			if !ok {
				return nil, io.EOF
			}
			continue
		}
		if r.raw[0] == '#' {
			r.comment()
			continue
		}
		if err := r.attribute(e); err != nil {
			r.skip()
			return nil, err
		}
	}
}

// named begins the entry, where the line with its name is written plainly.
func (r *Entries) named(e *Entry) {
	rest := r.text[r.pos:]
	if r.dn == nil || !r.dn.begins(rest) || rest[len(r.dn.raw)+1] != ' ' {
		return
	}
	if end, value := r.lineOf(r.dn, rest); end > 0 {
		r.Line++
		r.meet(r.dn)
		r.order = r.order[:0]
		r.pos, e.DN, e.Line = r.pos+end+1, value, r.Line
	}
}

// lineOf is where the line of an attribute ends, and what stands there after the colon and another
// character; 0 where the line goes on after its end, or is the last.
func (r *Entries) lineOf(k *knownName, rest string) (end int, value string) {
	end = r.lineEnd()
	if end+1 >= len(rest) || rest[end+1] == ' ' {
		return 0, ""
	}
	last := end
	for rest[last-1] == '\r' {
		last--
	}
	return end, rest[min(len(k.raw)+2, last):last]
}

// plain adds attributes as long as each line is of one that came after the one before
// in other entries too, and is written plainly.
func (r *Entries) plain(e *Entry) {
	for {
		rest := r.text[r.pos:]
		k := r.last.following(rest)
		if k == nil {
			return
		}
		if k.name == "" {
			r.meet(k)
			r.pass()
			continue
		}
		end, value := r.lineOf(k, rest)
		if end == 0 || k.flag && value != "TRUE" && value != "FALSE" || k.name == "dn" || k.name == "changetype" {
			return
		}
		encoded := rest[len(k.raw)+1] == ':'
		if encoded {
			var err error
			if value, err = r.decode(len(e.Attrs), k.name, value); err != nil {
				return // which is said where the line is read again
			}
		}
		r.meet(k)
		r.pos += end + 1
		r.Line++
		e.add(k, value, r.Line, encoded)
	}
}

// following returns the attribute that a line begins with, where it is one of those
// that came after this one before.
func (k *knownName) following(line string) *knownName {
	for i, next := range k.after {
		if next == nil {
			return nil
		}
		if next.begins(line) {
			k.prefer(i)
			return next
		}
	}
	return nil
}

// prefer has what comes often tried first.
func (k *knownName) prefer(i int) {
	if i > 0 {
		k.after[i], k.after[i-1] = k.after[i-1], k.after[i]
	}
}

// meet notes that the entry has an attribute next.
func (r *Entries) meet(k *knownName) {
	r.entry.Seen |= k.seen
	if k != r.last && len(r.order) < mostOrder {
		r.order = append(r.order, k)
	}
	r.last = k
}

// pass passes over a line with those that continue it.
func (r *Entries) pass() {
	for begun := false; r.pos < len(r.text) && (!begun || r.text[r.pos] == ' '); begun = true {
		r.pos = min(r.pos+r.lineEnd()+1, len(r.text))
		r.Line++
	}
}

// begins reports whether a line begins with the name and a colon and, where the
// attribute is wanted, with a blank and a value after it, or with another colon.
func (k *knownName) begins(line string) bool {
	n := len(k.raw)
	if len(line) <= n+2 || line[n] != ':' || line[:n] != k.raw {
		return false
	}
	return k.name == "" || line[n+1] == ' ' && line[n+2] != ' ' || line[n+1] == ':'
}

// settle makes texts of the values that had to be put together.
func (r *Entries) settle(e *Entry) {
	if len(r.late) == 0 {
		return
	}
	var all string
	if r.Briefly {
		all = unsafe.String(unsafe.SliceData(r.decoded), len(r.decoded))
	} else {
		all = string(r.decoded)
	}
	for _, l := range r.late {
		if l.attr < 0 {
			e.DN = all[l.from:l.to]
		} else {
			e.Attrs[l.attr].Value = all[l.from:l.to]
		}
	}
}

// attribute adds the unfolded line to the entry, if its name is wanted.
func (r *Entries) attribute(e *Entry) error {
	colon := strings.IndexByte(r.raw, ':')
	if colon <= 0 {
		return r.bad("expected \"attribute: value\", found no colon")
	}
	k := r.intern(r.raw[:colon])
	if k == nil {
		return r.bad("what stands before the colon is no name of an attribute")
	}
	r.meet(k)
	name := k.name
	switch {
	case e.Line == 0 && name == "version":
		return nil
	case e.Line == 0 && (name == "search" || name == "result" || name == "ref"):
		r.Search = true
		r.ending() // what a search tool writes after the entries
		return nil
	case e.Line == 0 && name != "dn":
		return r.bad("an entry must begin with \"dn:\"")
	case name == "dn" && e.Line != 0:
		return r.bad("a second \"dn:\" stands in the entry that begins on line %d: the empty line between the two is missing", e.Line)
	case name == "changetype":
		return r.bad("this is a list of changes, not an export; take it with slapcat or a search")
	case e.Line != 0 && name == "":
		return nil
	}
	attr := -1
	if e.Line > 0 {
		attr = len(e.Attrs)
	}
	value, err := r.value(attr, name, r.raw[colon+1:])
	if err != nil {
		return err
	}
	if e.Line == 0 {
		r.dn, e.DN, e.Line = k, value, r.rawLine
		r.order = r.order[:0]
		return nil
	}
	if k.flag && !isFlag(value) {
		return r.bad("%s is neither TRUE nor FALSE", name)
	}
	e.add(k, value, r.rawLine, len(r.late) > 0 && r.late[len(r.late)-1].attr == attr)
	return nil
}

// value reads what follows the first colon: " value", ": base64" or "< url".
func (r *Entries) value(attr int, name, rest string) (string, error) {
	switch {
	case rest != "" && rest[0] == ':':
		return r.decode(attr, name, rest[1:])
	case rest != "" && rest[0] == '<':
		return "", r.bad("the value of %s stands in another file (\":<\"), which is not read", name)
	default:
		return strings.TrimLeft(rest, " "), nil
	}
}

// decode reads a value in base64, which becomes a text when the entry is whole.
func (r *Entries) decode(attr int, name, encoded string) (string, error) {
	from := len(r.decoded)
	encoded = strings.TrimSpace(encoded)
	raw := unsafe.Slice(unsafe.StringData(encoded), len(encoded)) // only read
	var err error
	if r.decoded, err = base64.StdEncoding.AppendDecode(r.decoded, raw); err != nil {
		return "", r.bad("the value of %s is not base64 as \"::\" says", name)
	}
	r.late = append(r.late, lateValue{attr, from, len(r.decoded)})
	return "", nil
}

// intern returns what is known of an attribute by how its name is written, without
// making a new string each time; nil for what is no name.
func (r *Entries) intern(raw string) *knownName {
	for i, next := range r.last.after {
		if next != nil && next.raw == raw {
			r.last.prefer(i)
			return next
		}
	}
	known := r.names[raw]
	if known == nil {
		if known = r.fold(strings.Clone(raw)); known == nil || len(r.names) >= mostNames {
			return known
		}
		r.names[known.raw] = known
	}
	free := slices.Index(r.last.after[:], nil)
	if free < 0 {
		free = mostAfter - 1
	}
	r.last.after[free] = known
	return known
}

// fold is an attribute by how its name is written; nil for what is no name.
func (r *Entries) fold(raw string) *knownName {
	for _, c := range []byte(raw) {
		if !(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '.' || c == ';' || c == '_') {
			return nil
		}
	}
	plain, _, _ := strings.Cut(raw, ";")
	lower := strings.ToLower(plain)
	known := &knownName{raw: raw, begin: raw + ": ", seen: r.Watch[lower]}
	if !r.Wanted[lower] {
		known.begin = raw + ":"
		r.Skipped[plain] = true
		return known
	}
	known.name, known.mark, known.place = lower, markOf(lower), placeOf(lower)
	known.flag, known.class = slices.Contains(flags, lower), lower == "objectclass"
	return known
}

// flags are attributes that are true or false: of OpenLDAP's password policies
// (draft-behera-ldap-password-policy) and configuration, of Samba's, and of 389.
var flags = []string{"pwdlockout", "pwdmustchange", "pwdallowuserchange", "pwdsafemodify", "pwdreset", "pwdusecheckmodule", "olcppolicyhashcleartext",
	"olcdisabled", "olclastbind", "msds-passwordcomplexityenabled", "msds-passwordreversibleencryptionenabled", "nsaccountlock", "passwordexp",
	"passwordlockout", "passwordunlock", "passwordchecksyntax", "passwordchange", "passwordmustchange", "nsslapd-pluginenabled",
	"nsslapd-pwpolicy-local", "passwordislocalpolicy", "passwordislegacypolicy", "passwordtrackupdatetime"}

// isFlag reports whether a value is one of a flag; base64 comes later, as "".
func isFlag(value string) bool {
	for _, known := range []string{"", "true", "false", "on", "off"} {
		if strings.EqualFold(value, known) {
			return true
		}
	}
	return false
}

// skip reads on to the empty line that ends the entry.
func (r *Entries) skip() {
	line := r.rawLine
	for r.logical() && r.raw != "" {
	}
	r.rawLine = line
	r.Closed = true
}

// comment reads how many entries a search tool says that it wrote.
func (r *Entries) comment() {
	if count, is := strings.CutPrefix(r.raw, "# numEntries: "); is {
		if n, err := strconv.Atoi(count); err == nil {
			r.Told = max(0, r.Told) + n
		}
	}
}

// ending skips what a search tool writes after the entries, and keeps a result
// that is no good one.
func (r *Entries) ending() {
	line := r.rawLine
	for more := true; more && r.raw != ""; more = r.logical() {
		result, is := strings.CutPrefix(r.raw, "result: ")
		if code, _, _ := strings.Cut(result, " "); is && code != "0" && r.Failed == "" {
			r.Failed = strings.Clone(fmt.Sprintf("%.80s", result))
		}
	}
	r.rawLine = line
	r.Closed = true
}

// Bad says how the search ended that wrote the entries, of which so many were
// read; "" where nothing is wrong.
func (r *Entries) Bad(entries int) string {
	switch {
	case r.Failed != "":
		return "the search ended with the result " + r.Failed + ": entries are missing; take the export again without limits, with paged results"
	case r.Told >= 0 && r.Told != entries:
		return fmt.Sprintf("the search tool says that it wrote %d entries, and there are %d: take the export again", r.Told, entries)
	}
	return ""
}

// Forget forgets what Merge takes in, and which attributes were skipped, for pieces of
// which that is asked anew.
func (r *Entries) Forget() {
	r.Search, r.Failed, r.Told = false, "", -1
	clear(r.Skipped)
}

// Merge takes in how a later piece says that the search ended.
func (r *Entries) Merge(later *Entries) {
	if r.Failed == "" {
		r.Failed = later.Failed
	}
	if later.Told >= 0 {
		r.Told = max(0, r.Told) + later.Told
	}
}

// logical reads one line with those that continue it; false at the end of the
// piece.
func (r *Entries) logical() bool {
	line, ok := r.physical()
	if !ok {
		return false
	}
	r.raw, r.rawLine, r.folded = line, r.Line, r.folded[:0]
	if line == "" || r.pos >= len(r.text) || r.text[r.pos] != ' ' {
		return true
	}
	r.folded = append(r.folded, line...)
	for r.pos < len(r.text) && r.text[r.pos] == ' ' {
		more, _ := r.physical()
		r.folded = append(r.folded, more[1:]...)
	}
	r.raw = string(r.folded)
	return true
}

// lineEnd is how many bytes there are to the next line feed, or to the end of the piece.
func (r *Entries) lineEnd() int { return r.feeds.Next(r.text, r.pos) - r.pos }

// physical reads one line without its end.
func (r *Entries) physical() (string, bool) {
	if r.pos >= len(r.text) {
		return "", false
	}
	rest := r.text[r.pos:]
	end := r.lineEnd()
	r.pos = min(r.pos+end+1, len(r.text))
	r.Line++
	for end > 0 && rest[end-1] == '\r' {
		end--
	}
	return rest[:end], true
}
