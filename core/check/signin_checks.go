package check

import (
	"fmt"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/core/signin"
)

// A SignInView is what a record of sign-ins has of one account.
type SignInView struct {
	Account *facts.Account
	Seen    *signin.Account
	AsOf    time.Time // of the export; zero when not known
	// Before is the last sign-in by the export, and not by the record.
	Before facts.Moment
	Limit  setting.Span
}

// A RecordView is what a record of sign-ins has of a whole system.
type RecordView struct {
	Sources  func(func(*signin.Source)) // calls for each
	Whole    bool                       // the export names all accounts, so that other names are none
	Strange  Strange
	LetInToo []string // names that were let in and are no account of the export, the first few
	LetIns   int      // how many there are
}

// Strange sums up names that are no account of the export, and never were let
// in.
type Strange struct {
	Names, Wrong int
	Most         string // the address that tried most of them
	MostTried    int
}

// So much stands out. Whoever types often at a busy address is not it.
const (
	manyNames     = 10 // tried from one address, and never let in from there
	manySources   = 10 // that tried one name, and never came in with it
	manyWrong     = 10 // in a row before a right one, from one address
	steadyHours   = 12 // of the clock, each with a wrong password
	steadySources = 3  // at most
	burst         = 30 // within ten minutes
)

// sprays reports whether a source tried many names and came in with fewer.
func sprays(s *signin.Source) bool {
	return s.Name != "" && s.OnlyWrong >= manyNames && s.OnlyWrong > s.NamesIn
}

// tried says what a source did.
func tried(s *signin.Source) string {
	about := ""
	if s.About {
		about = "about "
	}
	never := "and came in with none of them"
	if s.NamesIn > 0 {
		never = fmt.Sprintf("%s%d of which never came in from there", about, s.OnlyWrong)
	}
	return fmt.Sprintf("%s gave wrong passwords for %s%d names from %s to %s UTC, %s", s.Name, about, s.InVain, moment(s.First), moment(s.Last), never)
}

// moment writes a moment of a record.
func moment(at int64) string { return time.UnixMicro(at).UTC().Format("2006-01-02 15:04") }

// times writes a number of things.
func times(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// addressesTold is how many addresses are told one by one of what many do, those
// with most wrong passwords.
const addressesTold = 100

func eachSource(v *RecordView, hit func(Hit), says func(*signin.Source) string) {
	found, wrong := 0, 0 // wrong passwords of those that are not told
	v.Sources(func(s *signin.Source) {
		text := says(s)
		if text == "" {
			return
		}
		if found++; found <= addressesTold {
			hit(Hit{Says: text, Value: s.Name, Key: []string{s.Name}})
			return
		}
		wrong += s.Failures
	})
	if more := found - addressesTold; more > 0 {
		hit(Hit{Says: fmt.Sprintf("%s more did so, with %s", times(more, "address", "addresses"), times(wrong, "wrong password", "wrong passwords")),
			Key: []string{"others"}})
	}
}

// unlike says what is unlike all before it in an administrator's sign-ins; "" for
// nothing, and for others.
func unlike(v *SignInView, n *signin.Novel, says func(*signin.Novel) string) string {
	if v.Account.Privileged != facts.Yes || n == nil {
		return ""
	}
	return says(n)
}

// signinChecks look at a record of sign-ins, where the estate names one. They
// tell what was seen; why somebody failed no record says. Those after which
// somebody may be in come first.
var signinChecks = []Check{
	{
		ID: "signin-many-names-in", Title: "addresses that gave wrong passwords for many names, and came in with some",
		Seen: "came in after trying many names", Severity: rules.High,
		Doc:    "what was tried on everybody may have fitted somebody.",
		Remedy: "ask those who came in from there whether it was they; else set new passwords and shut the address out",
		Record: func(v *RecordView, hit func(Hit)) {
			eachSource(v, hit, func(s *signin.Source) string {
				in := strings.Join(s.CameInAs, ", ")
				if s.NamesIn > len(s.CameInAs) {
					in += " and others"
				}
				return when(sprays(s) && s.NamesIn > 0, "%s; it came in with %s", tried(s), in)
			})
		},
	},
	{
		ID: "signin-after-failures", Title: "accounts let in from an address after many wrong passwords from there",
		Seen: "came in after many wrong passwords", Severity: rules.High,
		IfPrivileged: rules.Critical,
		Doc:          "a guess may have fitted; a program whose password was put right looks so too.",
		Remedy:       "ask the owner whether it was they, and set a new password if not",
		SignIns: func(v *SignInView) string {
			r := v.Seen.After
			return when(r.Wrong >= manyWrong, "%d wrong passwords from %s, and the right one at %s UTC", r.Wrong, r.Source, moment(r.At))
		},
	},
	{
		ID: "signin-off-in", Title: "accounts let in after the moment at which they are shown to be switched off",
		Seen: "came in though switched off", Severity: rules.High,
		IfPrivileged: rules.Critical,
		Doc:          "switching off does not shut every way in, or somebody switched it on again.",
		Remedy:       "find out how it came in, and shut that way",
		SignIns: func(v *SignInView) string {
			if v.Account.Enabled != facts.No {
				return ""
			}
			last := v.Seen.LastIn / 1e6
			end, ends := v.Account.Ends.Unix()
			switch {
			case v.Seen.LastIn == 0:
			case ends && v.Account.Ends.Come(last) == facts.Yes:
				return fmt.Sprintf("it ended on %s and was let in at %s UTC", time.Unix(end, 0).UTC().Format(time.DateOnly), moment(v.Seen.LastIn))
			case !v.AsOf.IsZero() && last > v.AsOf.Unix():
				return fmt.Sprintf("switched off in the export of %s, and let in at %s UTC", v.AsOf.UTC().Format("2006-01-02 15:04"), moment(v.Seen.LastIn))
			}
			return ""
		},
	},
	{
		ID: "signin-many-names", Title: "addresses that gave wrong passwords for many names, and came in with none",
		Seen: "tried many names", Severity: rules.Medium,
		Doc:    "one common password tried on everybody locks nobody and opens somebody.",
		Remedy: "find out what stands at the address and shut it out; forbid common passwords",
		Record: func(v *RecordView, hit func(Hit)) {
			eachSource(v, hit, func(s *signin.Source) string {
				return when(sprays(s) && s.NamesIn == 0, "%s", tried(s))
			})
		},
	},
	{
		ID: "signin-many-sources", Title: "accounts with wrong passwords from many addresses that never came in with them",
		Seen: "was tried from many addresses", Severity: rules.Medium,
		IfPrivileged: rules.High,
		Doc:          "guesses that come from everywhere pass what counts by address, and slow ones what counts by account.",
		Remedy:       "see that the password is long and the second factor on; count failures by account",
		SignIns: func(v *SignInView) string {
			a := v.Seen
			return when(a.NeverIn >= manySources && a.NeverIn > a.SourcesIn, "%s from %s, %d of them never let in",
				times(a.Failures, "wrong password", "wrong passwords"), times(a.Sources, "address", "addresses"), a.NeverIn)
		},
	},
	{
		ID: "signin-burst", Title: "accounts with very many wrong passwords within ten minutes",
		Seen: "was tried very often at once", Severity: rules.Medium, IfPrivileged: rules.High,
		Doc:    "more than a person mistypes: a program tries, be it guesses or an old password.",
		Remedy: "find out where they come from; have the lockout stop it, or a limit by address",
		SignIns: func(v *SignInView) string {
			a := v.Seen
			return when(a.Peaks[0] >= burst, "%d wrong passwords in the 10 minutes up to %s UTC", a.Peaks[0], moment(a.PeakAt))
		},
	},
	{
		ID: "signin-steady", Title: "accounts that fail hour after hour from the same address",
		Seen: "fails hour after hour", Severity: rules.Medium,
		Doc:    "a stored password that is out of date looks so, and locks the account for whoever needs it; patient guessing does too.",
		Remedy: "find the program at that address and give it the password; then look whether it stops",
		SignIns: func(v *SignInView) string {
			a := v.Seen
			hours := int((a.LastWrong-a.FirstWrong)/3600e6) + 1
			return when(a.HoursWrong >= steadyHours && a.HoursWrong*4 >= hours*3 && a.Sources <= steadySources && a.SourcesLetIn == 0,
				"%d wrong passwords from %s, never let in from there, in %d of %d hours", a.Failures,
				times(a.Sources, "address", "addresses"), a.HoursWrong, hours)
		},
	},
	{
		ID: "signin-off-tried", Title: "accounts that are switched off, with wrong passwords in the record",
		Seen: "was tried though switched off", Severity: rules.Low,
		Doc:    "somebody still tries: whoever left, a program, or a guesser with an old list. It may have been before it was switched off.",
		Remedy: "find out what tries; remove its stored password",
		SignIns: func(v *SignInView) string {
			return when(v.Account.Enabled == facts.No && v.Seen.Failures > 0, "%s, the last at %s UTC",
				times(v.Seen.Failures, "wrong password", "wrong passwords"), moment(v.Seen.LastWrong))
		},
	},
	{
		ID: "signin-after-idle", Title: "accounts let in after more than {limit} without a sign-in",
		Seen: "came in after a long time", Severity: rules.Low, IfPrivileged: rules.Medium,
		Limit:  setting.Span{Days: 90},
		Doc:    "an account that nobody missed is where somebody else comes in unnoticed.",
		Remedy: "ask the owner whether it was they; switch off what nobody needs",
		SignIns: func(v *SignInView) string {
			limit := v.Limit.Length()
			before, dated := v.Before.Unix()
			switch rest := v.Seen.Rest; {
			case dated && v.Seen.FirstIn/1e6-before > limit:
				return fmt.Sprintf("let in at %s UTC, and last before that on %s by the export", moment(v.Seen.FirstIn), time.Unix(before, 0).UTC().Format(time.DateOnly))
			case (rest.To-rest.From)/1e6 > limit:
				return fmt.Sprintf("let in at %s UTC; the record has none before it since %s", moment(rest.To), moment(rest.From))
			}
			return ""
		},
	},
	{
		ID: "signin-new-hour", Title: "administrators let in at an hour of the day at which they never were before",
		Seen: "came in at a new hour", Severity: rules.Low,
		Doc:    "mostly it is a late shift; a stolen password works by other clocks.",
		Remedy: "ask the owner whether it was they",
		SignIns: func(v *SignInView) string {
			return unlike(v, v.Seen.Hour, func(n *signin.Novel) string {
				return fmt.Sprintf("at %s UTC; %d sign-ins on the %d days before were at other hours", moment(n.At), n.Before, n.Days)
			})
		},
	},
	{
		ID: "signin-new-network", Title: "administrators let in from a network from which they never came before",
		Seen: "came in from a new network", Severity: rules.Low,
		Doc:    "mostly it is a journey; a stolen password comes from elsewhere.",
		Remedy: "ask the owner whether it was they, and ask for a second factor from outside",
		SignIns: func(v *SignInView) string {
			return unlike(v, v.Seen.Network, func(n *signin.Novel) string {
				return fmt.Sprintf("from %s at %s UTC; %d sign-ins on the %d days before came from other networks", n.Source, moment(n.At), n.Before, n.Days)
			})
		},
	},
	{
		ID: "signin-no-account", Title: "wrong passwords for names that are no account", Severity: rules.Info,
		Doc:    "whoever guesses names does not know the house; a person who types the password in place of the name shows it to whoever reads the record.",
		Remedy: "see who may read the record",
		Record: func(v *RecordView, hit func(Hit)) {
			s := &v.Strange
			if !v.Whole || s.Names == 0 {
				return
			}
			says := fmt.Sprintf("%s for %s that %s no account of the export", times(s.Wrong, "wrong password", "wrong passwords"),
				times(s.Names, "name", "names"), map[bool]string{true: "is", false: "are"}[s.Names == 1])
			if s.Most != "" && s.Names > 1 {
				says += fmt.Sprintf(", %d of these names from %s", s.MostTried, s.Most)
			}
			hit(Hit{Says: says, Key: []string{"names"}})
		},
	},
	{
		ID: "signin-not-in-export", Title: "names that were let in and are no account of the export",
		Seen: "came in and is no account", Severity: rules.Medium,
		Doc:    "the export lacks accounts, of which nothing is checked: those of a directory behind the system, or what was made or removed since.",
		Remedy: "take an export that has them, or name the system that they belong to",
		Record: func(v *RecordView, hit func(Hit)) {
			if !v.Whole || v.LetIns == 0 {
				return
			}
			names := strings.Join(v.LetInToo, ", ")
			if v.LetIns > len(v.LetInToo) {
				names += " and others"
			}
			hit(Hit{Says: fmt.Sprintf("%s let in and %s no account of the export: %s", times(v.LetIns, "name was", "names were"),
				map[bool]string{true: "is", false: "are"}[v.LetIns == 1], names), Key: []string{"names"}})
		},
	},
}
