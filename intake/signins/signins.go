// Package signins reads records of sign-ins as streams: lines of OpenSSH in the
// forms in which hosts keep them, and tables that a mapping explains.
package signins

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/signin"
	"yewcone/intake"
	"yewcone/intake/text"
)

// A Source is one record: files of lines, of which the earliest comes first
// whatever their names.
type Source struct {
	Files []string // paths
	Names []string // of these, as they are told, from the folder
	// Folder is the estate's.
	Folder string
	Zone   *time.Location
	// Until is the moment up to which the record was taken: a stamp without a year
	// is the latest one up to a day after it.
	Until time.Time
	Notes *facts.Notes
	Book  *signin.Book
	// Programs are others than OpenSSH, of which PAM's lines count too, by the names
	// that they have for PAM.
	Programs []string

	addresses map[string]uint32 // numbers of addresses, by how they were written
	doubles   doubles
	pam       pamLine
	latest    int64 // the moment of the line before

	day   [6]byte // such as "Nov 21", of which the year is known
	began int64   // that day, in UTC, in microseconds
}

// address numbers an address, in one way of writing it.
func (s *Source) address(text []byte) uint32 {
	if plain(text) {
		return s.Book.Sources.Number(text)
	}
	if known, ok := s.addresses[string(text)]; ok {
		return known
	}
	if s.addresses == nil {
		s.addresses = map[string]uint32{}
	}
	number := s.Book.Sources.Number([]byte(Address(string(text))))
	s.addresses[string(text)] = number
	return number
}

// plain reports whether an address of IPv4 is written as Address writes it.
func plain(text []byte) bool {
	parts, digits, value := 1, 0, 0
	for _, c := range text {
		switch {
		case c == '.' && digits > 0:
			parts, digits, value = parts+1, 0, 0
		case c >= '0' && c <= '9' && (digits == 0 || value > 0):
			digits, value = digits+1, value*10+int(c-'0')
		default:
			return false
		}
		if value > 255 {
			return false
		}
	}
	return parts == 4 && digits > 0
}

// longest is how long a line may be, in bytes; what is longer is left out.
const longest = 1 << 16

// Lines calls do for each sign-in that the log lines of a host tell of. The
// event is good until it returns.
func (s *Source) Lines(do func(*signin.Event)) error {
	var list []part
	for i, path := range s.Files {
		o := part{name: s.Names[i], path: path, first: 1<<63 - 1}
		err := s.lines(path, o.name, func(line []byte, _ int) bool {
			if at, _, ok := s.stamp(line); ok {
				o.first = at
				return false
			}
			return true
		})
		if err != nil {
			return err
		}
		list = append(list, o)
	}
	slices.SortStableFunc(list, func(a, b part) int { return cmp.Compare(a.first, b.first) })
	e := signin.Event{}
	for i, o := range list {
		told := 0
		s.doubles.begin(list[i+1:])
		s.latest = 0
		err := s.lines(o.path, o.name, func(line []byte, number int) bool {
			at, rest, ok := s.stamp(line)
			if !ok {
				if told++; told <= 3 && len(bytes.TrimSpace(line)) > 0 {
					s.Notes.Refuse(facts.Origin{File: o.name, Line: number}, "the line has no stamp that is known, and is left out (text of %d characters)",
						len(line))
				}
				return true
			}
			s.latest = at
			if e.At = at; s.message(rest, &e) && !s.doubles.seen(at, rest) {
				do(&e)
			}
			return true
		})
		if err != nil {
			return err
		}
	}
	s.doubles.tell(s.Notes)
	return nil
}

// lines reads a file, packed by gzip or not, line by line.
func (s *Source) lines(path, name string, do func(line []byte, number int) bool) (err error) {
	if err := text.Regular(path); err != nil {
		return fmt.Errorf("the record of sign-ins cannot be read: %w", err)
	}
	text.Opening(path)
	f, err := os.Open(path)
	if err != nil {
		return fmt.Errorf("the record of sign-ins cannot be read: %s", intake.Reason(err))
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	in := bufio.NewReaderSize(f, 1<<18)
	if head, _ := in.Peek(2); bytes.Equal(head, []byte{0x1f, 0x8b}) {
		z, err := gzip.NewReader(in)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		in = bufio.NewReaderSize(z, 1<<18)
	}
	for number := 1; ; number++ {
		line, err := in.ReadSlice('\n')
		if errors.Is(err, bufio.ErrBufferFull) {
			line = line[:min(len(line), longest)]
			if !do(line, number) {
				return nil
			}
			for errors.Is(err, bufio.ErrBufferFull) { // the rest of the line says nothing more
				_, err = in.ReadSlice('\n')
			}
			line = nil
		}
		if len(line) > 0 && !do(bytes.TrimRight(line, "\r\n"), number) {
			return nil
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("%s:%d: %w", name, number, err)
		}
	}
}

// journal is what is wanted of a line of journald's export as JSON.
type journal struct {
	At      string          `json:"__REALTIME_TIMESTAMP"` // microseconds
	Message json.RawMessage `json:"MESSAGE"`
	Program string          `json:"SYSLOG_IDENTIFIER"`
}

// stamp reads the moment of a line, in microseconds, and returns what stands
// behind it: the host, the program, and its message.
func (s *Source) stamp(line []byte) (at int64, rest []byte, ok bool) {
	switch {
	case len(line) > 0 && line[0] == '{':
		var j journal
		if json.Unmarshal(line, &j) != nil {
			return 0, nil, false
		}
		var text string
		if json.Unmarshal(j.Message, &text) != nil { // a list of bytes where not all of it is text
			text = ""
		}
		at, err := strconv.ParseInt(j.At, 10, 64)
		return at, []byte("host " + j.Program + ": " + text), err == nil
	case len(line) > 2 && line[0] == '<': // RFC 5424, or RFC 3164 with its priority
		if end := bytes.IndexByte(line[:min(6, len(line))], '>'); end > 0 {
			line = line[end+1:]
			if after, is := bytes.CutPrefix(line, []byte("1 ")); is {
				if at, rest, ok = s.stamp(after); ok { // host, program, number, message ID and data stand before the message
					return at, structured(rest), true
				}
				return 0, nil, false
			}
		}
	}
	if len(line) > 19 && line[4] == '-' && line[10] == 'T' {
		end := bytes.IndexByte(line, ' ')
		if end < 0 {
			return 0, nil, false
		}
		t, err := time.Parse(time.RFC3339Nano, string(line[:end]))
		return t.UnixMicro(), line[end+1:], err == nil
	}
	return s.withoutYear(line)
}

// structured takes what RFC 5424 has before a message out of the way.
func structured(rest []byte) []byte {
	fields := bytes.SplitN(rest, []byte(" "), 5) // host, program, number, message ID, data and message
	if len(fields) < 5 {
		return nil
	}
	text := fields[4]
	if after, is := bytes.CutPrefix(text, []byte("- ")); is {
		text = after
	} else if end := bytes.Index(text, []byte("] ")); end >= 0 && text[0] == '[' {
		text = text[end+2:]
	}
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	return append(append(append([]byte("host "), fields[1]...), ": "...), text...)
}

const months = "JanFebMarAprMayJunJulAugSepOctNovDec"

// withoutYear reads a stamp of RFC 3164, such as "Nov 21 00:01:32".
func (s *Source) withoutYear(line []byte) (at int64, rest []byte, ok bool) {
	if len(line) < 16 || line[3] != ' ' || line[6] != ' ' || line[9] != ':' || line[12] != ':' || line[15] != ' ' {
		return 0, nil, false
	}
	number := func(a, b byte) int {
		if a == ' ' {
			a = '0'
		}
		if a < '0' || a > '9' || b < '0' || b > '9' {
			return -1
		}
		return int(a-'0')*10 + int(b-'0')
	}
	day, hour, minute, second := number(line[4], line[5]), number(line[7], line[8]), number(line[10], line[11]), number(line[13], line[14])
	if day < 1 || day > 31 || hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 60 {
		return 0, nil, false
	}
	if [6]byte(line[:6]) == s.day {
		return s.began + int64(hour*3600+minute*60+second)*1e6, line[16:], true
	}
	month := strings.Index(months, string(line[:3]))
	if month < 0 || month%3 != 0 {
		return 0, nil, false
	}
	limit := s.Until.AddDate(0, 0, 1)
	for year := limit.Year(); year > limit.Year()-9; year-- {
		t := time.Date(year, time.Month(month/3+1), day, hour, minute, second, 0, s.Zone)
		if t.Day() == day && !t.After(limit) { // the 29th of February is of the last leap year
			if s.Zone == time.UTC && limit.Sub(t) > 24*time.Hour { // all of the day is before the limit
				s.day = [6]byte(line[:6])
				s.began = t.Truncate(24 * time.Hour).UnixMicro()
			}
			return s.second(t).UnixMicro(), line[16:], true
		}
	}
	return 0, nil, false
}

// second is the moment itself, or an hour later, where clocks were put back and
// the hour comes a second time.
func (s *Source) second(t time.Time) time.Time {
	for _, again := range []time.Time{t.Add(-time.Hour), t.Add(time.Hour)} { // which of the two a date means is not laid down
		if again.Hour() == t.Hour() && s.latest != 0 {
			first, second := t, again
			if again.Before(t) {
				first, second = again, t
			}
			if first.UnixMicro() < s.latest {
				return second
			}
			return first
		}
	}
	return t
}

// message reads what OpenSSH says of a sign-in with a password or key; false
// where it says nothing of that. Names may hold any words: the address is taken
// from the end.
func (s *Source) message(rest []byte, e *signin.Event) bool {
	_, rest, ok := bytes.Cut(rest, []byte(" ")) // the host
	if !ok {
		return false
	}
	if !bytes.HasPrefix(rest, []byte("sshd")) {
		return len(s.Programs) > 0 && s.pamMessage(rest, e)
	}
	colon := bytes.Index(rest, []byte(": "))
	if colon < 0 || colon > 24 || bytes.ContainsRune(rest[:colon], ' ') {
		return false
	}
	rest = rest[colon+2:]
	e.Times = 1
	if after, is := bytes.CutPrefix(rest, []byte("message repeated ")); is { // what a logger folded
		count, text, ok := bytes.Cut(after, []byte(" times: [ "))
		n, err := strconv.Atoi(string(count))
		if !ok || err != nil || n < 1 || n > 1e6 {
			return false
		}
		e.Times, rest = int32(n), bytes.TrimSuffix(text, []byte("]"))
	}
	switch {
	case cut(&rest, "Failed password for "), cut(&rest, "Failed keyboard-interactive/pam for "):
		e.Outcome = signin.Failed
	case cut(&rest, "Accepted password for "), cut(&rest, "Accepted keyboard-interactive/pam for "):
		e.Outcome = signin.LetIn
	case cut(&rest, "Accepted publickey for "), cut(&rest, "Accepted gssapi-with-mic for "), cut(&rest, "Accepted hostbased for "):
		e.Outcome = signin.ByKey
	default:
		return false
	}
	if e.Outcome == signin.Failed {
		cut(&rest, "invalid user ")
	}
	at := bytes.LastIndex(rest, []byte(" from "))
	if at < 0 {
		return false
	}
	source, _, _ := bytes.Cut(rest[at+len(" from "):], []byte(" "))
	e.Account, e.Source = s.Book.Account(rest[:at]), s.address(source)
	return true
}

func cut(text *[]byte, prefix string) bool {
	if after, is := bytes.CutPrefix(*text, []byte(prefix)); is {
		*text = after
		return true
	}
	return false
}

// Address writes an address in one way: in short, and one of IPv4 within IPv6 as
// itself. What is no address stays.
func Address(text string) string {
	a, err := netip.ParseAddr(text)
	if err != nil {
		return text
	}
	return a.Unmap().String()
}
