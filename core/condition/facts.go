package condition

import (
	"strconv"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// A Subject is the account that a condition is asked about.
type Subject struct {
	Account *facts.Account
	System  *facts.System
	Derived facts.Derived
}

// Stage says which facts a condition may use, since some facts are worked out
// with the help of others.
type Stage uint8

// The stages, each with the facts of those before it.
const (
	FromExport Stage = iota // what the export says
	WithKind                // and the kind
	Complete                // and whether privileged, the policy that holds, and the dates
)

// A Fact is something that a condition can ask about an account.
type Fact struct {
	Name    string
	Type    string // text, list, yes or no, number, time, date, or grade
	Stage   Stage
	Meaning string
	Words   []string // the only texts that make sense, where that is so

	env  any // a value of the type that the expression checker shall assume
	text func(*Subject) (string, bool)
	list func(*Subject) ([]string, bool)
	tri  func(*Subject) facts.Tri
	num  func(*Subject) (int64, bool) // numbers, lengths in seconds, instants, grades
}

// known tells whether the subject has the fact.
func (f *Fact) known(s *Subject) bool {
	ok := false
	switch {
	case f.text != nil:
		_, ok = f.text(s)
	case f.list != nil:
		_, ok = f.list(s)
	case f.num != nil:
		_, ok = f.num(s)
	default:
		ok = f.tri(s) != facts.Unknown
	}
	return ok
}

func said(text string) (string, bool) { return text, text != "" }

func textFact(name string, stage Stage, meaning string, get func(*Subject) (string, bool)) Fact {
	return Fact{Name: name, Type: "text", Stage: stage, Meaning: meaning, env: "", text: get}
}

func flagFact(name string, stage Stage, meaning string, get func(*Subject) facts.Tri) Fact {
	return Fact{Name: name, Type: "yes or no", Stage: stage, Meaning: meaning, env: false, tri: get}
}

func lengthFact(name, meaning string, stage Stage, get func(*Subject) (int64, bool)) Fact {
	return Fact{Name: name, Type: "time", Stage: stage, Meaning: meaning, env: time.Duration(0), num: get}
}

// The seconds that stand for never: what never was lies before every date, and
// what will never be lies after.
const (
	neverWas    = -1 << 62
	neverWillBe = 1 << 62
)

func dateFact(name, meaning string, stage Stage, never int64, get func(*Subject) *facts.Moment) Fact {
	return Fact{Name: name, Type: "date", Stage: stage, Meaning: meaning, env: time.Time{}, num: func(s *Subject) (int64, bool) {
		m := get(s)
		if at, ok := m.Unix(); ok {
			return at, true
		}
		return never, m.IsNever()
	}}
}

func countFact(name, meaning string, stage Stage, get func(*Subject) facts.Counted) Fact {
	return Fact{Name: name, Type: "number", Stage: stage, Meaning: meaning, env: 0, num: func(s *Subject) (int64, bool) {
		c := get(s)
		return int64(c.N), c.Known
	}}
}

// since returns the seconds from a moment to the one the export speaks for.
func since(s *Subject, m *facts.Moment) (int64, bool) {
	at, ok := m.Unix()
	return s.Derived.AsOf - at, ok && s.Derived.AsOfKnown
}

// idle counts from the last sign-in, or from the account's making when nobody
// ever signed in.
func idle(s *Subject) (int64, bool) {
	if s.Account.LastSignIn.IsNever() {
		return since(s, &s.Account.Created)
	}
	return since(s, &s.Account.LastSignIn)
}

// passwordAge counts from the last change, or from the account's making when
// the password was never changed.
func passwordAge(s *Subject) (int64, bool) {
	if s.Account.PasswordSet.IsNever() {
		return since(s, &s.Account.Created)
	}
	return since(s, &s.Account.PasswordSet)
}

// overdueOpen is yes unless something is known to stop the account.
func overdueOpen(s *Subject) facts.Tri {
	a := s.Account
	if s.Derived.Shut == facts.Yes || a.Locked == facts.Yes || a.Enabled == facts.No || a.PasswordUsable == facts.No {
		return facts.No
	}
	return s.Derived.Overdue
}

func isNever(m facts.Moment) facts.Tri {
	if !m.Known() {
		return facts.Unknown
	}
	return facts.TriOf(m.IsNever())
}

func neverChanged(s *Subject) facts.Tri {
	set, made := &s.Account.PasswordSet, &s.Account.Created
	if _, ok := made.Unix(); ok && *set == *made {
		return facts.Yes
	}
	return isNever(*set)
}

// inFuture looks at the dates that the export says, and is unknown when it
// says none.
func inFuture(s *Subject) facts.Tri {
	answer := facts.Unknown
	if !s.Derived.AsOfKnown {
		return answer
	}
	for _, m := range [...]*facts.Moment{&s.Account.PasswordSet, &s.Account.LastSignIn, &s.Account.Created} {
		if at, ok := m.Unix(); ok && at > s.Derived.AsOf {
			return facts.Yes
		}
		if m.Known() {
			answer = facts.No
		}
	}
	return answer
}

func storage(s *Subject) (int64, bool) {
	i, ok := s.Account.Storage.Index()
	return int64(i), ok
}

// schemes are the grades of the fact "storage", weakest first.
var schemes = setting.At(setting.Storage).Choices

var allFacts = []Fact{
	textFact("login", FromExport, "the sign-in name", func(s *Subject) (string, bool) { return said(s.Account.Login) }),
	textFact("short_login", FromExport, "the sign-in name without the host or domain that follows an at sign",
		func(s *Subject) (string, bool) {
			name, _, _ := strings.Cut(s.Account.Login, "@")
			return name, s.Account.Login != ""
		}),
	textFact("display_name", FromExport, "the name as shown", func(s *Subject) (string, bool) { return said(s.Account.DisplayName) }),
	textFact("first_name", FromExport, "the first name", func(s *Subject) (string, bool) { return said(s.Account.FirstName) }),
	textFact("last_name", FromExport, "the last name", func(s *Subject) (string, bool) { return said(s.Account.LastName) }),
	textFact("email", FromExport, "the mail address", func(s *Subject) (string, bool) { return said(s.Account.Email) }),
	textFact("employee_no", FromExport, "the employee number", func(s *Subject) (string, bool) { return said(s.Account.EmployeeNo) }),
	textFact("description", FromExport, "the description or note", func(s *Subject) (string, bool) { return said(s.Account.Description) }),
	textFact("unit", FromExport, "the path of the organisational unit, widest first, with slashes",
		func(s *Subject) (string, bool) { return said(s.Account.Unit) }),
	{Name: "groups", Type: "list", Meaning: "the groups, also through other groups", env: []string{},
		list: func(s *Subject) ([]string, bool) { return s.Account.Groups, s.Account.GroupsKnown }},
	{Name: "roles", Type: "list", Meaning: "the roles", env: []string{}, list: func(s *Subject) ([]string,
		bool) {
		return s.Account.Roles, s.Account.RolesKnown
	}},
	{Name: "labels", Type: "list", Meaning: "the labels of the system, as the estate file has them", env: []string{},
		list: func(s *Subject) ([]string, bool) { return s.System.Labels, true }},
	textFact("system", FromExport, "the name of the system", func(s *Subject) (string, bool) { return s.System.Name, true }),
	{Name: "kind", Type: "text", Stage: WithKind, Meaning: "person, service, shared, built-in, guest or emergency",
		Words: facts.Kinds, env: "", text: func(s *Subject) (string, bool) { return said(s.Account.Kind) }},

	flagFact("enabled", FromExport, "not switched off, and inside its start and end date",
		func(s *Subject) facts.Tri { return s.Account.Enabled }),
	flagFact("locked", FromExport, "locked at the moment the export speaks for", func(s *Subject) facts.Tri { return s.Account.Locked }),
	flagFact("locked_for_ever", FromExport, "locked until an administrator acts", func(s *Subject) facts.Tri {
		if s.Account.Locked != facts.Yes {
			return s.Account.Locked
		}
		return isNever(s.Account.LockedUntil)
	}),
	flagFact("must_change", FromExport, "the password must be changed at the next sign-in",
		func(s *Subject) facts.Tri { return s.Account.MustChange }),
	flagFact("never_expires", FromExport, "a flag on the account: its password never expires",
		func(s *Subject) facts.Tri { return s.Account.NeverExpires }),
	flagFact("cannot_change", FromExport, "a flag on the account: the user may not change the password",
		func(s *Subject) facts.Tri { return s.Account.CannotChange }),
	flagFact("blank_allowed", FromExport, "a flag on the account: an empty password is accepted",
		func(s *Subject) facts.Tri { return s.Account.BlankAllowed }),
	flagFact("blank", FromExport, "the password is empty", func(s *Subject) facts.Tri { return s.Account.Blank }),
	flagFact("password_is_login", FromExport, "the password is the sign-in name itself, as a fast hash gives away",
		func(s *Subject) facts.Tri { return s.Account.PasswordIsLogin }),
	flagFact("as_delivered", FromExport, "the password is the one that the product was delivered with",
		func(s *Subject) facts.Tri { return s.Account.AsDelivered }),
	flagFact("password_usable", FromExport, "some password lets the account in",
		func(s *Subject) facts.Tri { return s.Account.PasswordUsable }),
	flagFact("preauthenticates", FromExport, "a ticket is given only to who proves the password first, so that nobody can guess offline by asking",
		func(s *Subject) facts.Tri { return s.Account.Preauthenticates }),
	flagFact("remote_password", FromExport, "a password lets the account in from the network, by sshd for one",
		func(s *Subject) facts.Tri { return s.Account.RemotePassword }),
	flagFact("unasked_power", FromExport, "an administrator who is not asked for a password again before acting as one",
		func(s *Subject) facts.Tri { return s.Account.UnaskedPower }),
	flagFact("enters_unasked", FromExport, "some way into the system lets the account in without its password: it asks for none, or takes any",
		func(s *Subject) facts.Tri { return s.Account.EntersUnasked }),
	flagFact("second_factor", FromExport, "a second factor is enrolled", func(s *Subject) facts.Tri { return s.Account.SecondFactor }),
	flagFact("never_signed_in", FromExport, "nobody has ever signed in",
		func(s *Subject) facts.Tri { return isNever(s.Account.LastSignIn) }),
	flagFact("never_changed", FromExport, "the password was never changed since the account was made", neverChanged),
	flagFact("dated_in_future", FromExport, "a date that the export gives (made, password set, last sign-in) is after the "+
		"moment it speaks for", inFuture),
	flagFact("privileged", Complete, "an administrator, as the estate file or the export says",
		func(s *Subject) facts.Tri { return s.Account.Privileged }),
	flagFact("overdue", Complete, "the password is past its end", func(s *Subject) facts.Tri { return s.Derived.Overdue }),
	flagFact("shut", Complete, "overdue for longer than the grace period, so that the system refuses it",
		func(s *Subject) facts.Tri { return s.Derived.Shut }),
	flagFact("overdue_open", Complete, "the password is past its end, and nothing in the export shows that the account is "+
		"locked, shut or switched off", overdueOpen),
	flagFact("used_after_end", Complete, "the account was used after its password had ended, by an end that held then and without grace",
		func(s *Subject) facts.Tri { return s.Derived.UsedAfter }),
	flagFact("lasts_for_ever", Complete, "the password never expires in effect, by policy or by flag",
		func(s *Subject) facts.Tri { return s.Derived.Lasts }),
	flagFact("older_than_policy", Complete, "the password was set before its policy was last changed",
		func(s *Subject) facts.Tri { return s.Derived.OlderPolicy }),

	flagFact("older_than_rules", Complete, "the password was set before the system's rule sets came into force",
		func(s *Subject) facts.Tri { return s.Derived.OlderRules }),
	flagFact("policy_missing", Complete, "the account names a policy that is not among those of the export",
		func(s *Subject) facts.Tri { return s.Derived.Missing }),

	dateFact("created", "when the account was made", FromExport, neverWas, func(s *Subject) *facts.Moment { return &s.Account.Created }),
	dateFact("password_set", "when the password was last set", FromExport, neverWas,
		func(s *Subject) *facts.Moment { return &s.Account.PasswordSet }),
	dateFact("last_sign_in", "when somebody last signed in", FromExport, neverWas,
		func(s *Subject) *facts.Moment { return &s.Account.LastSignIn }),
	dateFact("locked_since", "when the account was locked", FromExport, neverWas,
		func(s *Subject) *facts.Moment { return &s.Account.LockedSince }),
	dateFact("password_expires", "when the password ends, by policy and flags", Complete, neverWillBe,
		func(s *Subject) *facts.Moment { return &s.Derived.Expires }),
	dateFact("account_ends", "when the account itself ends", FromExport, neverWillBe,
		func(s *Subject) *facts.Moment { return &s.Account.Ends }),
	lengthFact("account_age", "how old the account is", FromExport, func(s *Subject) (int64, bool) { return since(s, &s.Account.Created) }),
	lengthFact("key_age", "how old the key is that stands for the password", FromExport,
		func(s *Subject) (int64, bool) { return since(s, &s.Account.KeySet) }),
	lengthFact("password_age", "how old the password is; since the account was made when it was never changed", FromExport, passwordAge),
	lengthFact("idle", "how long nobody has signed in; since the account was made when nobody ever did", FromExport, idle),
	lengthFact("locked_for", "how long the account has been locked", FromExport,
		func(s *Subject) (int64, bool) { return since(s, &s.Account.LockedSince) }),
	lengthFact("overdue_for", "how long the password has been past its end; negative before", Complete,
		func(s *Subject) (int64, bool) { return since(s, &s.Derived.Expires) }),
	countFact("password_length", "characters of the password, where an export has it", FromExport,
		func(s *Subject) facts.Counted { return s.Account.Length }),
	countFact("failures", "failed sign-ins that still count", FromExport, func(s *Subject) facts.Counted { return s.Account.Failures }),
	countFact("grace_used", "sign-ins made with the expired password", FromExport,
		func(s *Subject) facts.Counted { return s.Account.GraceUsed }),
	countFact("hash_rounds", "rounds that the stored password was hashed in, where its scheme counts them", FromExport,
		func(s *Subject) facts.Counted { return s.Account.Rounds }),
	countFact("connection_tries", "wrong passwords that one connection from the network may try", FromExport,
		func(s *Subject) facts.Counted { return s.Account.Tries }),
	countFact("power_tries", "wrong passwords that may be tried before acting as an administrator is refused", FromExport,
		func(s *Subject) facts.Counted { return s.Account.PowerTries }),
	textFact("policy", Complete, "the name of the policy that holds; empty for none",
		func(s *Subject) (string, bool) { return s.Derived.Policy, !s.Derived.PolicyOpen }),
	{Name: "storage", Type: "grade", Meaning: "how the password is stored, from cleartext to memory-hard; < and > compare " +
		"the strength", Words: schemes, env: "", num: storage},
}

// Text writes the fact of a subject for people; false when it is not known.
func (f *Fact) Text(s *Subject) (string, bool) {
	switch {
	case f.text != nil:
		return f.text(s)
	case f.list != nil:
		list, ok := f.list(s)
		return strings.Join(list, ", "), ok && len(list) > 0
	case f.tri != nil:
		return f.tri(s).String(), f.tri(s) != facts.Unknown
	}
	n, ok := f.num(s)
	switch {
	case !ok:
		return "", false
	case f.Type == "grade":
		return f.Words[n], true
	case f.Type == "date" && (n == neverWas || n == neverWillBe):
		return "never", true
	case f.Type == "date":
		return facts.At(time.Unix(n, 0)).String(), true
	case f.Type == "time" && n < 0:
		return "-" + setting.Span{Days: int32(-n / 86400)}.String(), true
	case f.Type == "time" && n >= 86400:
		return setting.Span{Days: int32(n / 86400)}.String(), true
	case f.Type == "time":
		return setting.Span{Seconds: n}.String(), true
	}
	return strconv.FormatInt(n, 10), true
}

// Facts returns all facts, for the reference.
func Facts() []Fact { return allFacts }
