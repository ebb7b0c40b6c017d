package signins

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/signin"
	"yewcone/intake"
	"yewcone/intake/ldif"
)

// Failures calls do for each failure that faillock prints, or lastb with
// "--time-format iso", in the order of their moments. Such lists have no right
// passwords: a lock that one would have prevented is counted.
func (s *Source) Failures(do func(*signin.Event)) error {
	var list []signin.Event
	keep := func(e *signin.Event) { list = append(list, *e) }
	for i, path := range s.Files {
		name := s.Names[i]
		account := uint32(0)
		known := false
		err := s.lines(path, name, func(line []byte, number int) bool {
			e := signin.Event{Times: 1, Outcome: signin.Failed}
			fields := bytes.Fields(line)
			switch {
			case len(fields) == 0, len(fields) > 0 && string(fields[0]) == "When", bytes.Contains(line, []byte("tmp begins ")),
				line[0] == ' ' && bytes.Contains(line, []byte(" - ")): // of lastb, without a name
				return true
			case len(line) > 20 && line[4] == '-' && line[10] == ' ' && known: // faillock
				t, err := time.ParseInLocation(time.DateTime, string(line[:19]), s.Zone)
				if err != nil || len(fields) < 4 {
					break
				}
				e.At, e.Account, e.Source = t.UnixMicro(), account, s.address(fields[3])
				keep(&e) // what an unlocking or a right password took out failed too
				return true
			case bytes.HasSuffix(line, []byte(":")):
				account, known = s.Book.Account(bytes.TrimSuffix(line, []byte(":"))), true
				return true
			default:
				if at, from, ok := s.lastb(fields); ok {
					e.At, e.Account, e.Source = at, s.Book.Account(fields[0]), s.address(from)
					keep(&e)
					return true
				}
			}
			s.Notes.Refuse(facts.Origin{File: name, Line: number}, "the line is no failure as faillock, or lastb with --time-format iso, prints it, and is left out "+
				"(text of %d characters)", len(line))
			return true
		})
		if err != nil {
			return err
		}
	}
	slices.SortStableFunc(list, func(a, b signin.Event) int { return cmp.Compare(a.At, b.At) }) // lastb begins with the latest
	for i := range list {
		do(&list[i])
	}
	return nil
}

// lastb reads such as "ada ssh:notty 192.0.2.1 2026-11-22T02:00:03+00:00 - …";
// the address is missing for a console.
func (s *Source) lastb(fields [][]byte) (at int64, from []byte, ok bool) {
	for i := 2; i < min(len(fields), 4); i++ {
		t, err := time.Parse("2006-01-02T15:04:05-07:00", string(fields[i]))
		if err != nil {
			continue
		}
		from = fields[i-1]
		return t.UnixMicro(), from, true
	}
	return 0, nil, false
}

// accessLogTime is how slapd's access log writes moments.
const accessLogTime = "20060102150405.999999Z"

// AccessLog calls do for each sign-in of the access log that slapd keeps
// (slapo-accesslog), as LDIF. It names accounts by their distinguished names, and
// no addresses.
func (s *Source) AccessLog(do func(*signin.Event)) error {
	s.Book.Folding = signin.Folding{DN: true}
	request := &intake.Request{Folder: s.Folder, From: s.Names}
	files := ldif.NewFiles(request, s.Notes, "reqstart reqdn reqresult reqmethod")
	none := s.Book.Sources.Number(nil)
	return files.Scan(func(file string, x *ldif.Entry) error {
		if !x.Is("auditBind") {
			return nil
		}
		e := signin.Event{Times: 1, Source: none}
		dn, method := x.Text("reqdn"), x.Text("reqmethod")
		t, err := time.Parse(accessLogTime, x.Text("reqstart"))
		switch {
		case err != nil:
			s.Notes.Refuse(facts.Origin{File: file, Line: x.Line}, "the sign-in has no moment that is understood, and is left out")
			return nil
		case dn == "":
			return nil // anonymous
		}
		switch result := x.Text("reqresult"); {
		case result == "0" && strings.EqualFold(method, "SIMPLE"):
			e.Outcome = signin.LetIn
		case result == "0":
			e.Outcome = signin.ByKey // by SASL, of which it does not say how
		case result == "49": // invalidCredentials (RFC 4511), for a lock too
			e.Outcome = signin.Failed
		default:
			return nil
		}
		e.At, e.Account = t.UnixMicro(), s.Book.Account([]byte(dn))
		do(&e)
		return nil
	})
}

// Forms are the ways in which records are read, by the word of estate.yaml.
var Forms = map[string]func(*Source, func(*signin.Event)) error{
	"sshd": (*Source).Lines, "failures": (*Source).Failures, "accesslog": (*Source).AccessLog,
}
