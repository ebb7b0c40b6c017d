package facts

import (
	"strings"
	"time"

	"yewcone/core/setting"
)

// Kinds of accounts.
const (
	Person    = "person"
	Service   = "service"
	Shared    = "shared"
	BuiltIn   = "built-in"
	Guest     = "guest"
	Emergency = "emergency"
)

// Kinds lists all kinds of accounts.
var Kinds = []string{Person, Service, Shared, BuiltIn, Guest, Emergency}

// An Account is what an export says of one account. Readers reuse one Account
// for all rows; whoever keeps more than its numbers must copy the strings.
// Every zero field is unknown.
type Account struct {
	Login       string
	DN          string // its distinguished name (RFC 4514), where the system has those
	DisplayName string
	FirstName   string
	LastName    string
	Email       string
	EmployeeNo  string
	Description string
	Kind        string
	Unit        string // path with slashes, widest first

	Privileged       Tri
	Enabled          Tri // not switched off and inside its start and end date
	Locked           Tri // by failures or an administrator, at the moment the export speaks for
	MustChange       Tri // and the system will insist
	NeverExpires     Tri // a flag on the account
	CannotChange     Tri
	BlankAllowed     Tri
	Blank            Tri // the stored password is empty
	PasswordIsLogin  Tri // the password is the sign-in name
	AsDelivered      Tri // the password is the one that the product came with
	PasswordUsable   Tri // some password lets this account in
	SecondFactor     Tri
	Preauthenticates Tri // a ticket is given only to who proves the password first
	RemotePassword   Tri // a password lets it in from the network
	EntersUnasked    Tri // some way in asks for no password, or takes any
	UnaskedPower     Tri // it acts as an administrator without giving a password again

	LockedSince     Moment
	LockedUntil     Moment // never: until an administrator acts
	Created         Moment
	PasswordSet     Moment // never: not changed since the account was made
	FlagDecides     bool   // a largest age holds for every password that NeverExpires leaves, with a date or without
	DueAtEnd        bool   // due when the last day begins or in the last second, not when they are over
	ChangeFirst     bool   // while it must be changed, its end shuts nobody out
	ShutAtEnd       bool   // when its password ends, without a grace
	RunOut          bool   // past its end by hand, whatever the ages say; since when is not known
	PasswordExpires Moment // only where the export itself says it; never beats the maximum age
	LastSignIn      Moment
	LastSignInFrom  string // the record of sign-ins that says it; "" for the export
	KeySet          Moment // when the key that stands for the password was made
	Ends            Moment // when the account itself ends

	Failures   Counted // those that still count
	Length     Counted // of the password, in characters
	GraceUsed  Counted // sign-ins made with the expired password
	Rounds     Counted // that its stored password was hashed in
	Tries      Counted // wrong passwords that one connection from the network may try
	PowerTries Counted // wrong passwords that may be tried before acting as an administrator is refused
	Storage    setting.Value
	// StoredMark is the same for accounts with the same stored password and
	// differs otherwise, within one run of the program; 0 where not known. It
	// tells nothing of the password and is never shown.
	StoredMark uint64

	Groups      []string
	GroupsKnown bool
	Roles       []string
	RolesKnown  bool
	Policy      string   // the policy that the account names; "" for none
	PolicyOpen  bool     // it may name one, which the export does not show
	Reaching    []string // other policies that reach it and come after that one, in their order

	Overrides []Override // settings that stand on the account itself
	Origin    Origin
}

// WithoutPassword reports whether no password lets the account in, nor would
// one once a lock is taken off: then there is no password of which settings
// could demand anything.
func (a *Account) WithoutPassword() bool { return a.PasswordUsable == No && a.Locked != Yes }

// Override puts a value of a setting on the account itself.
func (a *Account) Override(id setting.ID, v setting.Value, origin Origin) {
	a.Overrides = append(a.Overrides, Override{Setting: id, Sourced: sourced(id, v, origin)})
}

// Hide notes that the account may have a value of its own, which the export does
// not show: then what holds is unknown, whatever its policy says.
func (a *Account) Hide(id setting.ID, origin Origin) {
	a.Overrides = append(a.Overrides, Override{Setting: id, Sourced: Sourced{Origin: origin, Hidden: true}})
}

// LockFor settles whether a lock that began at a moment still holds after so
// many seconds; 0 is until somebody unlocks. See LockUntil.
func (a *Account) LockFor(since Moment, seconds int64, asOf time.Time) {
	end := Never
	if seconds > 0 {
		end = since.Plus(setting.Span{Seconds: seconds})
	}
	a.LockUntil(since, end, asOf)
}

// LockUntil settles whether a lock that began at a moment and ends at another
// holds at the moment that the export speaks for. At the very second of its
// end it is over. Where either moment is not known, so is the lock.
func (a *Account) LockUntil(since, end Moment, asOf time.Time) {
	switch {
	case end.IsNever():
		a.Locked = Yes
	case asOf.IsZero():
		a.Locked = Unknown
	default:
		a.Locked = end.Come(asOf.Unix()).Not()
	}
	if a.Locked == Yes {
		a.LockedSince, a.LockedUntil = since, end
	}
}

// Counted is a number that may be unknown.
type Counted struct {
	N     int
	Known bool
}

// CountOf returns a known number.
func CountOf(n int) Counted { return Counted{N: n, Known: true} }

// An Override is a setting that stands on the account itself.
type Override struct {
	Setting setting.ID
	Sourced
}

// Reset empties the account for the next row and keeps its slices' memory.
func (a *Account) Reset() {
	*a = Account{Groups: a.Groups[:0], Roles: a.Roles[:0], Overrides: a.Overrides[:0], Reaching: a.Reaching[:0]}
}

// CopyFrom makes the account a copy of another that shares no slices with it,
// and keeps its own slices' memory.
func (a *Account) CopyFrom(b *Account) {
	groups, roles, overrides := append(a.Groups[:0], b.Groups...), append(a.Roles[:0], b.Roles...), append(a.Overrides[:0], b.Overrides...)
	reaching := append(a.Reaching[:0], b.Reaching...)
	*a = *b
	a.Groups, a.Roles, a.Overrides, a.Reaching = groups, roles, overrides, reaching
}

// Keep makes the account's texts its own, so that it may be kept when the row that
// they stood in is gone.
func (a *Account) Keep() {
	for _, text := range []*string{&a.Login, &a.DN, &a.DisplayName, &a.FirstName, &a.LastName, &a.Email, &a.EmployeeNo, &a.Description, &a.Kind,
		&a.Unit, &a.Policy, &a.LastSignInFrom} {
		*text = strings.Clone(*text)
	}
	for _, list := range [][]string{a.Groups, a.Roles, a.Reaching} {
		for i := range list {
			list[i] = strings.Clone(list[i])
		}
	}
	a.KeepOrigins()
}

// KeepOrigins is Keep for places alone, which are kept with what is told of the account.
func (a *Account) KeepOrigins() {
	a.Origin = a.Origin.kept()
	for i := range a.Overrides {
		a.Overrides[i].Origin = a.Overrides[i].Origin.kept()
	}
}

// Derived is what follows from an account's facts and the settings that hold
// for it, at the moment the export speaks for. Lengths are in seconds.
type Derived struct {
	Policy      string // name of the policy that holds; "" for none
	Expires     Moment
	MayChange   Moment // from when the password may be changed again
	WarnedFrom  Moment
	ShutAt      Moment // when the account is shut after expiry
	Lasts       Tri    // the password never ends
	Overdue     Tri    // the password is past its end
	Shut        Tri    // overdue for longer than the grace period
	OlderPolicy Tri    // the password was set before the policy was last changed
	OlderRules  Tri    // the password was set before the rules came into force
	UsedAfter   Tri    // the password was used after its end, though it had ended by then
	PolicyOpen  bool   // which policy holds is not known
	Missing     Tri    // the account names a policy that the system does not have
	AsOf        int64
	AsOfKnown   bool
}
