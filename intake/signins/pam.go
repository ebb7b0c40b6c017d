package signins

import (
	"bytes"
	"slices"
	"strconv"

	"yewcone/core/signin"
)

// pamLine is what the last line about a failure said: modules of one stack tell
// of the same one.
type pamLine struct {
	at      int64
	tag     string // program and process
	account string
	module  string
}

// pamMessage reads what PAM says of programs other than OpenSSH. A session that
// is opened is taken for a right password, but for sudo, which may ask for none,
// and for su by root.
func (s *Source) pamMessage(rest []byte, e *signin.Event) bool {
	tag, text, ok := bytes.Cut(rest, []byte(": "))
	if !ok || bytes.ContainsRune(tag, ' ') {
		return false
	}
	e.Times = 1
	if after, is := bytes.CutPrefix(text, []byte("PAM ")); is { // what one connection tried beyond the first
		count, more, ok := bytes.Cut(after, []byte(" more authentication failure"))
		n, err := strconv.Atoi(string(count))
		program, _, _ := bytes.Cut(tag, []byte("["))
		if !ok || err != nil || n < 1 || n > 1e6 || !slices.Contains(s.Programs, string(program)) {
			return false
		}
		e.Times = int32(n)
		return s.pamFailure(more, e)
	}
	head, text, ok := bytes.Cut(text, []byte("): "))
	module, service, is := bytes.Cut(head, []byte("("))
	if !ok || !is {
		return false
	}
	service, kind, _ := bytes.Cut(service, []byte(":"))
	if !slices.Contains(s.Programs, string(service)) {
		return false
	}
	switch {
	case string(kind) == "auth" && bytes.HasPrefix(text, []byte("authentication failure; ")):
		if !s.pamFailure(text, e) {
			return false
		}
		line := pamLine{e.At, string(tag), s.Book.Accounts.Name(e.Account), string(module)}
		before := s.pam
		s.pam = line
		return before.at != line.at || before.tag != line.tag || before.account != line.account || before.module == line.module
	case string(kind) == "session" && cut(&text, "session opened for user "):
		return s.pamSession(string(service), text, e)
	}
	return false
}

// pamFailure reads fields such as "tty=tty1 ruser= rhost=192.0.2.1  user=ada".
func (s *Source) pamFailure(text []byte, e *signin.Event) bool {
	at := bytes.LastIndex(text, []byte(" user="))
	if at < 0 {
		return false // of a name that is no account
	}
	account := text[at+len(" user="):]
	source := field(text[:at], " rhost=")
	if len(source) == 0 {
		source = field(text[:at], " tty=")
	}
	e.Outcome, e.Account, e.Source = signin.Failed, s.Book.Account(account), s.address(source)
	return len(account) > 0
}

func field(text []byte, name string) []byte {
	_, after, _ := bytes.Cut(text, []byte(name))
	value, _, _ := bytes.Cut(after, []byte(" "))
	return value
}

// pamSession reads such as "ada(uid=1000) by root(uid=0)".
func (s *Source) pamSession(service string, text []byte, e *signin.Event) bool {
	opened, by, _ := bytes.Cut(text, []byte(" by "))
	e.Outcome = signin.LetIn
	switch service {
	case "sudo":
		opened, e.Outcome = by, signin.ByKey
	case "su", "su-l":
		if bytes.HasSuffix(by, []byte("(uid=0)")) {
			e.Outcome = signin.ByKey
		}
	}
	account, _, _ := bytes.Cut(opened, []byte("("))
	e.Account, e.Source = s.Book.Account(account), s.address(nil)
	return len(account) > 0
}
