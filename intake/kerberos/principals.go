package kerberos

import (
	"cmp"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/rows"
	"yewcone/intake/text"
)

// textParts divides what getprinc prints: a block of lines for each principal.
func (e *export) textParts(yield func(facts.Part) error) error {
	file := e.folder + "/getprinc.txt"
	f, err := e.request.Open(file, "")
	if err != nil {
		return intake.CannotOpen(file, err)
	}
	defer f.Close()
	pieces := text.NewPieces(f, func(s string) int { return strings.LastIndex(s, "\nPrincipal: ") + 1 })
	still := *e // as it is before anything is noted of principals
	still.Noted = facts.Notes{}
	for n := 0; ; n++ {
		piece, err := pieces.Next()
		switch {
		case err == io.EOF && n == 0:
			still.Noted.Incomplete(facts.Origin{File: file}, "the file is empty, as kadmin never prints it; take the export again")
		case err != nil && err != io.EOF:
			still.Noted.Incomplete(facts.Origin{File: file}, "the file cannot be read on: %s; take the export again", err)
		}
		if err != nil {
			return yield(&blocks{e: e, file: file, one: still, end: true})
		}
		if err := yield(&blocks{e: e, one: still, file: file, piece: piece, open: f}); err != nil {
			return err
		}
	}
}

// blocks are the principals of a piece.
type blocks struct {
	e     *export
	one   export // which notes what there is to say of them
	file  string
	piece text.Piece
	open  *text.File
	end   bool // there are none: the file has ended
}

func (b *blocks) Accounts(yield func(*facts.Account) error) error {
	if b.end {
		return nil
	}
	var a facts.Account
	return b.one.blocks(b, func(p *principal) error {
		if a.Reset(); !b.one.account(p, &a) {
			return nil
		}
		return yield(&a)
	})
}

func (b *blocks) Done() {
	b.e.Noted.Join(&b.one.Noted)
	b.e.zoned = b.e.zoned || b.one.zoned
	if b.end && b.e.zoned {
		b.e.Noted.Remark(facts.Origin{File: b.file}, "its times are in a zone that does not tell its offset, and so unknown: print with TZ=UTC")
	}
}

// blocks reads the principals of a piece.
func (e *export) blocks(b *blocks, each func(*principal) error) error {
	file := b.file
	var p *principal
	whole, twice := false, ""
	seen := 0 // of principalLines, as bits
	emit := func() error {
		switch {
		case p == nil:
			return nil
		case twice != "":
			e.Noted.Refuse(facts.Origin{File: file, Line: p.line},
				"the block of %s has two lines %q: a line \"Principal: …\" is missing between them; it is left out", p.name,
				twice)
			return nil
		case !whole:
			e.Noted.Refuse(facts.Origin{File: file, Line: p.line}, "the block of %s ends before its policy; it is left out", p.name)
			return nil
		}
		for i, key := range principalLines {
			if seen&(1<<i) == 0 {
				e.Noted.Refuse(facts.Origin{File: file, Line: p.line}, "the block of %s has no line %q; it is left out", p.name, key)
				return nil
			}
		}
		return each(p)
	}
	n, prompt := b.piece.Line-1, false
	for line := range strings.Lines(b.piece.Text) {
		n++
		line = strings.TrimSuffix(strings.TrimSuffix(line, "\n"), "\r")
		prompt = isPrompt(line)
		key, value, ok := strings.Cut(line, ":")
		if !ok {
			continue
		}
		value = strings.TrimSpace(value)
		if key == "Principal" {
			if err := emit(); err != nil {
				return err
			}
			p, whole, twice = &principal{name: value, file: file, line: n}, false, ""
			seen = 0
			continue
		}
		once := slices.Index(principalLines, key)
		if p == nil && once >= 0 {
			e.Noted.Refuse(facts.Origin{File: file, Line: n},
				"the line belongs to no principal: a line \"Principal: …\" is missing before it")
		}
		if p != nil {
			if once >= 0 {
				if seen&(1<<once) != 0 {
					twice = key
				}
				seen |= 1 << once
			}
			whole = whole || key == "Policy"
			e.principalLine(p, key, value, facts.Origin{File: file, Line: n})
		}
	}
	if b.piece.Last && (!b.open.EndsInLine() && !prompt || p != nil && !whole) {
		e.Noted.Incomplete(facts.Origin{File: file, Line: n},
			"the file ends in the middle of a principal: it was cut off; take the export again")
	}
	return emit()
}

// principalLines are what getprinc prints once of each principal and what is
// read of it.
var principalLines = []string{"Expiration date", "Last password change", "Password expiration date",
	"Last successful authentication", "Last failed authentication", "Failed password attempts", "Attributes", "Policy"}

func (e *export) principalLine(p *principal, key, value string, origin facts.Origin) {
	switch key {
	case "Expiration date":
		p.ends = e.printed(value, origin)
	case "Last password change":
		p.set = e.printed(value, origin)
	case "Password expiration date":
		p.expires = e.printed(value, origin)
	case "Last successful authentication":
		if p.success = e.printed(value, origin); p.success.IsNever() {
			p.success = facts.Moment{} // also where nobody keeps it
		}
	case "Last failed authentication":
		p.failed = e.printed(value, origin)
	case "Failed password attempts":
		p.failures = e.number(value, origin)
	case "Number of keys":
		p.keys = e.number(value, origin)
	case "Key":
		_, kind, _ := strings.Cut(value, ", ")
		kind, _, _ = strings.Cut(kind, ", ") // what is not the usual salt
		p.weakest = weaker(p.weakest, keyGrade(kind))
	case "Attributes":
		p.preauth, p.hardware, p.mustChange, p.disallowed = facts.No, facts.No, facts.No, facts.No
		for _, flag := range strings.Fields(value) {
			p.setFlag(flag, facts.Yes)
		}
	case "Policy":
		if value != "[none]" {
			p.policy = strings.TrimSuffix(value, " [does not exist]")
		}
	}
}

// number reads a count of failures.
func (e *export) number(value string, origin facts.Origin) facts.Counted {
	n, err := strconv.Atoi(value)
	if err != nil || n < 0 {
		e.Noted.Refuse(origin, "%q is no number", value)
		return facts.Counted{}
	}
	return facts.CountOf(n)
}

// printed reads a time as kadmin prints it; one in a zone that does not tell
// its offset is not known.
func (e *export) printed(value string, origin facts.Origin) facts.Moment {
	if value == "[never]" || value == "[none]" {
		return facts.Never
	}
	at, ok := clock(value)
	if !ok {
		if _, err := time.Parse(printedForm, value); err == nil {
			e.zoned = true
		} else {
			e.Noted.Refuse(origin, "%q is no time as kadmin prints it", value)
		}
		return facts.Moment{}
	}
	return facts.At(at)
}

// printedForm is how kadmin prints times.
const printedForm = "Mon Jan _2 15:04:05 MST 2006"

// clock reads a time whose offset can be told: UTC, or a zone that is named by
// its offset.
func clock(value string) (time.Time, bool) {
	if value == "[never]" || value == "[none]" {
		return time.Time{}, true
	}
	if at, ok := usualClock(value); ok {
		return at, true
	}
	if at, err := time.Parse("Mon Jan _2 15:04:05 -07 2006", value); err == nil {
		return at, true
	}
	at, err := time.Parse(printedForm, value)
	zone, _ := at.Zone()
	return at, err == nil && (zone == "UTC" || zone == "GMT")
}

// usualClock reads a time of UTC as kadmin prints it, such as "Mon Sep 01 10:00:00 UTC
// 2025", in a tenth of the time that time.Parse takes; false for all others.
func usualClock(s string) (time.Time, bool) {
	if len(s) != 28 || s[3] != ' ' || s[7] != ' ' || s[10] != ' ' || s[13] != ':' || s[16] != ':' || s[19] != ' ' || s[23] != ' ' || s[20:23] != "UTC" {
		return time.Time{}, false
	}
	weekday := strings.Index("Sun Mon Tue Wed Thu Fri Sat", s[:3])
	month := strings.Index("Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec", s[4:7])
	if weekday < 0 || weekday%4 != 0 || month < 0 || month%4 != 0 {
		return time.Time{}, false
	}
	var numbers [5]int
	for i, at := range [...][2]int{{8, 10}, {11, 13}, {14, 16}, {17, 19}, {24, 28}} {
		for _, c := range s[at[0]:at[1]] {
			if c < '0' || c > '9' {
				return time.Time{}, false
			}
			numbers[i] = numbers[i]*10 + int(c-'0')
		}
	}
	day, hour, minute, second, year := numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]
	at := time.Date(year, time.Month(month/4+1), day, hour, minute, second, 0, time.UTC)
	return at, at.Day() == day && hour < 24 && minute < 60 && second < 60
}

// A dump is one of the tables of tabdump.
type dump struct {
	name    string
	columns []string
	each    bool // every principal has rows in it
	read    func(e *export, p *principal, row *rows.Row, origin facts.Origin)
}

var dumps = []dump{
	{"princ_meta", []string{"name", "lastpwd", "policy"}, true, (*export).meta},
	{"princ_tktpolicy", []string{"name", "expiration", "pw_expiration"}, true, (*export).ends},
	{"princ_lockout", []string{"name", "last_success", "last_failed", "fail_count"}, true, (*export).failures},
	{"princ_flags", []string{"name", "flag", "value"}, true, (*export).flag},
	{"keyinfo", []string{"name", "keyindex", "enctype"}, false, (*export).key},
}

// fromTables joins the tables of tabdump by the principals' names.
func (e *export) fromTables(notes *facts.Notes, each func(string, *principal) error) error {
	one := *e // which notes what the tables themselves give cause to say
	one.Noted = facts.Notes{}
	all := map[string]*principal{}
	var order []*principal
	main := ""
	var there []string // tables that have rows of every principal
	for _, d := range dumps {
		file, ok := rows.Find(e.request, e.folder, d.name)
		if !ok {
			notes.Remark(facts.Origin{File: e.folder}, "%s is not in the export; what it says stays unknown", d.name)
			continue
		}
		main = cmp.Or(main, file)
		if d.each {
			there = append(there, d.name)
		}
		err := rows.Read(e.request, file, notes, func(row *rows.Row) error {
			name := row.Plain("name")
			p := all[name]
			if p == nil {
				p = &principal{name: name, line: row.Line}
				all[name] = p
				order = append(order, p)
			}
			if !slices.Contains(p.in, d.name) {
				p.in = append(p.in, d.name)
			}
			d.read(&one, p, row, facts.Origin{File: file, Line: row.Line})
			notes.Join(&one.Noted)
			one.Noted = facts.Notes{}
			return nil
		}, d.columns...)
		if err != nil {
			return err
		}
	}
	for _, p := range order {
		if lacks := slices.IndexFunc(there, func(name string) bool { return !slices.Contains(p.in, name) }); lacks >= 0 {
			notes.Refuse(facts.Origin{File: main, Line: p.line}, "%s is in %s and not in %s; it is left out", p.name,
				p.in[0], there[lacks])
			continue
		}
		if slices.Contains(there, "princ_flags") && (p.preauth == facts.Unknown || p.mustChange == facts.Unknown ||
			p.disallowed == facts.Unknown) {
			notes.Refuse(facts.Origin{File: main, Line: p.line}, "%s has not all of its flags in princ_flags; it is left out", p.name)
			continue
		}
		if _, ok := rows.Find(e.request, e.folder, "keyinfo"); ok {
			p.keys.Known = true // one without rows there has none
		}
		if err := each(main, p); err != nil {
			return err
		}
	}
	return nil
}

// dumped reads a time of tabdump, where the first second of 1970 is never.
func (e *export) dumped(row *rows.Row, column string, origin facts.Origin) facts.Moment {
	at, err := time.Parse(time.RFC3339, row.Plain(column))
	if n, wrong := strconv.ParseInt(row.Plain(column), 10, 64); wrong == nil { // tabdump -n
		at, err = time.Unix(n, 0), nil
	}
	switch {
	case err != nil:
		e.Noted.Refuse(origin, "%s: %q is no time", column, row.Plain(column))
		return facts.Moment{}
	case at.Unix() == 0:
		return facts.Never
	}
	return facts.At(at)
}

func (e *export) meta(p *principal, row *rows.Row, origin facts.Origin) {
	p.policy, p.set = row.Plain("policy"), e.dumped(row, "lastpwd", origin)
}

func (e *export) ends(p *principal, row *rows.Row, origin facts.Origin) {
	p.ends, p.expires = e.dumped(row, "expiration", origin), e.dumped(row, "pw_expiration", origin)
}

func (e *export) failures(p *principal, row *rows.Row, origin facts.Origin) {
	if p.success = e.dumped(row, "last_success", origin); p.success.IsNever() {
		p.success = facts.Moment{} // also where nobody keeps it
	}
	p.failed = e.dumped(row, "last_failed", origin)
	p.failures = e.number(row.Plain("fail_count"), origin)
}

func (e *export) flag(p *principal, row *rows.Row, _ facts.Origin) {
	p.setFlag(row.Plain("flag"), facts.TriOf(row.True("value")))
}

func (e *export) key(p *principal, row *rows.Row, origin facts.Origin) {
	if row.Plain("keyindex") != strconv.Itoa(p.keys.N) {
		e.Noted.Refuse(origin, "the key %s of %s comes where %d was expected", row.Plain("keyindex"), p.name, p.keys.N)
	}
	p.keys = facts.CountOf(p.keys.N + 1)
	p.weakest = weaker(p.weakest, keyGrade(row.Plain("enctype")))
}
