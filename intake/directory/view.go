package directory

import (
	"strings"
	"sync/atomic"

	"yewcone/core/facts"
	"yewcone/intake/ldif"
)

// What a view of a directory may leave out, by what rests on it. Attributes of
// accounts and those of policies are looked at apart: a view that shows one
// kind need not show the other.
var restsOn = map[string]string{
	"userpassword":         "how passwords are stored, and which entries have one",
	"pwdchangedtime":       "when passwords were set, and end",
	"pwdaccountlockedtime": "who is locked",
	"pwdreset":             "who must change the password",
	"pwdfailuretime":       "failed sign-ins",
	"pwdgraceusetime":      "grace sign-ins",
	"pwdlastsuccess":       "when somebody last signed in",
	"pwdpolicysubentry":    "which policy an account falls under",
	"pwdstarttime":         "from when and until when accounts work",
	"pwdendtime":           "from when and until when accounts work",
	"member":               "groups",
}

// dumped are the attributes that every entry has which the server writes out
// itself, and searched those that only a search computes.
var (
	dumped = []string{"structuralobjectclass", "entryuuid", "creatorsname", "createtimestamp", "entrycsn", "modifiersname",
		"modifytimestamp"}
	searched = []string{"entrydn", "subschemasubentry", "hassubordinates"}
)

// foreign are attributes of another family of servers, whose locks, ends and
// policies this reader does not know.
var foreign = []string{"nsaccountlock", "passwordexpirationtime", "accountunlocktime", "passwordretrycount",
	"retrycountresettime", "nsuniqueid", "nsroledn", "passwordmaxage", "passwordlockout", "passwordchange", "passwordcheckssyntax",
	"passwordminlength", "passwordinhistory", "ds-pwp-account-disabled", "logindisabled", "loginintruderresettime", "useraccountcontrol"}

var watch = ldif.NewWatch(append(append(append([]string{"uid", "olcppolicydefault"}, dumped...), searched...),
	append([]string{"userpassword", "pwdchangedtime", "pwdaccountlockedtime", "pwdreset", "pwdfailuretime",
		"pwdgraceusetime", "pwdlastsuccess",
		"olcrootpw", "olcsuffix", "olcrootdn", "pwdattribute",
		"pwdpolicysubentry", "pwdstarttime", "pwdendtime", "member", "uniquemember", "memberuid"}, foreign...)...)...)

// Of these each entry is asked.
var seenPassword, seenChanged, seenPolicy, seenUID = watch["userpassword"], watch["pwdchangedtime"], watch["pwdpolicysubentry"], watch["uid"]

var (
	seenMembers = watch.Of("member", "uniquemember", "memberuid")
	seenConfig  = watch.Of("olcppolicydefault", "olcsuffix", "olcrootdn")
	seenMarked  = watch["pwdattribute"] // as policies are
)

// look is what the first pass saw of the view. It is filled from several sides
// at the same time.
type look struct {
	every  atomic.Uint64 // attributes that every entry has
	any    atomic.Uint64 // attributes that some entry has
	people atomic.Uint64 // attributes that some account has
}

func (l *look) at(x *ldif.Entry, account bool) {
	seen := uint64(x.Seen)
	if every := l.every.Load(); every&seen != every { // most entries change nothing, and need not wait for each other
		l.every.And(seen)
	}
	if l.any.Load()|seen != l.any.Load() {
		l.any.Or(seen)
	}
	if account && l.people.Load()|seen != l.people.Load() {
		l.people.Or(seen)
	}
}

// settle fills the view. A server's own dump shows everything; of a search only
// what it showed on an entry of the kind.
func (e *export) settleView() {
	v := &facts.View{Advice: "slapcat on the server, or a search as the directory's own administrator with " +
		"\"view: whole\" under export in estate.yaml"}
	e.Read.View = v
	dump := watch.Of(dumped...)
	every, any := ldif.Seen(e.look.every.Load()), ldif.Seen(e.look.any.Load())
	switch {
	case e.request.Whole:
		v.Whole, v.Proof = true, "estate.yaml says that whoever took it could read everything"
	case every&dump == dump && any&watch.Of(searched...) == 0 && !e.files.Search:
		v.Whole, v.Proof = true, "the server's own dump"
	}
	for name, about := range restsOn {
		v.Ask(name, about)
		if ldif.Seen(e.look.people.Load())&watch[name] != 0 {
			v.Show(name)
		}
	}
	if any&seenMembers != 0 {
		v.Show("member")
	}
	if e.foreign = any&watch.Of(foreign...) != 0 || e.foreignClass.Load(); e.foreign {
		v.Hide()
		e.Noted.Incomplete(facts.Origin{File: strings.Join(e.request.From, ", ")},
			"the entries are of another family of directory servers "+
				"(%s), whose locks, ends and policies are not read here: what rests on them is unknown; a 389 directory is read by \"read: 389-directory\" "+
				"(yewcone intake --how 389-directory), any other by a mapping (docs/mappings.md)", strings.Join(e.foreignNames(any), ", "))
	}
	v.Tell(&e.Noted, facts.Origin{File: strings.Join(e.request.From, ", ")})
}

func (e *export) foreignNames(any ldif.Seen) []string {
	var names []string
	for _, name := range foreign {
		if any&watch[name] != 0 {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		names = append(names, "passwordPolicy")
	}
	return names
}

// absent is what an absent attribute of an account says: no where the view
// would have shown it, else unknown.
func (e *export) absent(attribute string) facts.Tri {
	if e.Read.View.Shows(attribute) {
		return facts.No
	}
	return facts.Unknown
}
