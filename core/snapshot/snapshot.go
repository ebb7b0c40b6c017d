// Package snapshot is the form in which this tool writes down what it read of
// a system, and reads it again: a JSON object on each line, first the system,
// then its policies, then its accounts, then how many there were. What is not
// known is left out. docs/schema/snapshot-1.schema.json describes a line.
package snapshot

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"yewcone/core/facts"
	"yewcone/core/setting"
)

// Version changes when a reader of an older version would go wrong.
const Version = 1

// A Line is one line; exactly one of its parts is there.
type Line struct {
	System  *System  `json:"snapshot,omitempty"`
	Policy  *Policy  `json:"policy,omitempty"`
	Account *Account `json:"account,omitempty"`
	End     *End     `json:"end,omitempty"`
}

// A System is what holds apart from policies and accounts.
type System struct {
	Version  int      `json:"version"`
	Name     string   `json:"name"`
	Title    string   `json:"title,omitempty"`
	Labels   []string `json:"labels,omitempty"`
	AsOf     string   `json:"as_of,omitempty"`
	AsOfFrom string   `json:"as_of_from,omitempty"`
	Chooses  string   `json:"chooses"`
	Default  string   `json:"default,omitempty"`
	WhyFirst string   `json:"why_first,omitempty"` // why the policy that an account names comes first
	Partial  bool     `json:"partial,omitempty"`   // the export was not read to its end
	Refused  int      `json:"refused,omitempty"`   // rows and values that were left out
}

// An Origin is where something stood in the export that was read first.
type Origin struct {
	File  string `json:"file"`
	Part  string `json:"part,omitempty"`
	Line  int    `json:"line,omitempty"`
	Place string `json:"place,omitempty"`
	Text  string `json:"text,omitempty"`
}

// A Value is what is said of a setting, as settings are written everywhere:
// "14", "90 days", "never", "yes".
type Value struct {
	Setting string `json:"setting"`
	Value   string `json:"value"`
	Origin  Origin `json:"origin,omitzero"`
}

// A Policy is a set of settings that holds for some accounts.
type Policy struct {
	Name     string   `json:"name"`
	Settings []Value  `json:"settings"`
	Roles    []string `json:"roles,omitempty"`
	Unit     string   `json:"unit,omitempty"`
	Parent   string   `json:"parent,omitempty"`
	Priority int      `json:"priority,omitempty"`
	Changed  Moment   `json:"changed,omitzero"`
	Open     bool     `json:"open,omitempty"` // it stands for policies that are not known
	None     bool     `json:"none,omitempty"` // it is what the system does where no policy reaches an account
	Origin   Origin   `json:"origin,omitzero"`
}

// An Account holds the facts of one account under the names that conditions
// use. Lists that are known to be empty are [].
type Account struct {
	Login       string   `json:"login"`
	DN          string   `json:"dn,omitempty"`
	DisplayName string   `json:"display_name,omitempty"`
	FirstName   string   `json:"first_name,omitempty"`
	LastName    string   `json:"last_name,omitempty"`
	Email       string   `json:"email,omitempty"`
	EmployeeNo  string   `json:"employee_no,omitempty"`
	Description string   `json:"description,omitempty"`
	Kind        string   `json:"kind,omitempty"`
	Unit        string   `json:"unit,omitempty"`
	Policy      string   `json:"policy,omitempty"`
	PolicyOpen  bool     `json:"policy_open,omitempty"`
	Reaching    []string `json:"reaching,omitempty"` // other policies that reach it, in their order

	Privileged       Answer `json:"privileged,omitzero"`
	Enabled          Answer `json:"enabled,omitzero"`
	Locked           Answer `json:"locked,omitzero"`
	MustChange       Answer `json:"must_change,omitzero"`
	NeverExpires     Answer `json:"never_expires,omitzero"`
	CannotChange     Answer `json:"cannot_change,omitzero"`
	BlankAllowed     Answer `json:"blank_allowed,omitzero"`
	Blank            Answer `json:"blank,omitzero"`
	PasswordIsLogin  Answer `json:"password_is_login,omitzero"`
	AsDelivered      Answer `json:"as_delivered,omitzero"`
	PasswordUsable   Answer `json:"password_usable,omitzero"`
	SecondFactor     Answer `json:"second_factor,omitzero"`
	Preauthenticates Answer `json:"preauthenticates,omitzero"`
	RemotePassword   Answer `json:"remote_password,omitzero"`
	EntersUnasked    Answer `json:"enters_unasked,omitzero"`
	UnaskedPower     Answer `json:"unasked_power,omitzero"`

	Created         Moment `json:"created,omitzero"`
	PasswordSet     Moment `json:"password_set,omitzero"`
	FlagDecides     bool   `json:"flag_decides,omitempty"` // a largest age holds for every password that never_expires leaves
	DueAtEnd        bool   `json:"due_at_end,omitempty"`   // due when its last day begins or in its last second
	ChangeFirst     bool   `json:"change_first,omitempty"` // while it must be changed, its end shuts nobody out
	ShutAtEnd       bool   `json:"shut_at_end,omitempty"`  // when its password ends
	RunOut          bool   `json:"run_out,omitempty"`      // past its end by hand
	PasswordExpires Moment `json:"password_expires,omitzero"`
	LastSignIn      Moment `json:"last_sign_in,omitzero"`
	KeySet          Moment `json:"key_set,omitzero"`
	LockedSince     Moment `json:"locked_since,omitzero"`
	LockedUntil     Moment `json:"locked_until,omitzero"`
	Ends            Moment `json:"account_ends,omitzero"`

	Failures   *int   `json:"failures,omitempty"`
	Length     *int   `json:"password_length,omitempty"`
	GraceUsed  *int   `json:"grace_used,omitempty"`
	Rounds     *int   `json:"hash_rounds,omitempty"`
	Tries      *int   `json:"connection_tries,omitempty"`
	PowerTries *int   `json:"power_tries,omitempty"`
	Storage    string `json:"storage,omitempty"`
	// SamePassword is a number that accounts with the same stored password
	// share; left out where no other account has it.
	SamePassword uint64 `json:"same_password,omitempty"`

	Groups    []string `json:"groups,omitzero"`
	Roles     []string `json:"roles,omitzero"`
	Overrides []Value  `json:"settings,omitempty"` // that stand on the account itself
	Origin    Origin   `json:"origin,omitzero"`
}

// An End tells how many lines of each kind came before it.
type End struct {
	Policies int `json:"policies"`
	Accounts int `json:"accounts"`
}

// An Answer is true, false, or left out where it is not known.
type Answer facts.Tri

// MarshalJSON writes true or false.
func (a Answer) MarshalJSON() ([]byte, error) {
	return json.Marshal(facts.Tri(a) == facts.Yes)
}

// UnmarshalJSON reads true, false or null.
func (a *Answer) UnmarshalJSON(data []byte) error {
	switch string(data) {
	case "true":
		*a = Answer(facts.Yes)
	case "false":
		*a = Answer(facts.No)
	case "null":
		*a = Answer(facts.Unknown)
	default:
		return fmt.Errorf("expected true, false or null, found %.40s", data)
	}
	return nil
}

// A Moment is "never", a whole day as 2026-11-20, or an instant as
// 2026-11-20T06:00:00Z; left out where it is not known.
type Moment facts.Moment

// MarshalJSON writes the moment.
func (m Moment) MarshalJSON() ([]byte, error) {
	moment := facts.Moment(m)
	at, ok := moment.Time()
	switch {
	case moment.IsNever():
		return []byte(`"never"`), nil
	case !ok:
		return []byte("null"), nil
	case moment.WholeDay():
		return json.Marshal(at.Format(time.DateOnly))
	}
	return json.Marshal(at.Format(time.RFC3339))
}

// UnmarshalJSON reads a moment or null.
func (m *Moment) UnmarshalJSON(data []byte) error {
	var text *string
	if err := json.Unmarshal(data, &text); err != nil {
		return fmt.Errorf("expected a date in quotes, found %.40s", data)
	}
	switch {
	case text == nil:
		*m = Moment{}
		return nil
	case *text == "never":
		*m = Moment(facts.Never)
		return nil
	}
	if at, err := time.Parse(time.DateOnly, *text); err == nil {
		*m = Moment(facts.OnDay(at))
		return nil
	}
	at, err := time.Parse(time.RFC3339, *text)
	if err != nil {
		return fmt.Errorf("%.40q is no date; write 2026-11-20, 2026-11-20T06:00:00Z or never", *text)
	}
	*m = Moment(facts.At(at))
	return nil
}

// Check reports a line that has not exactly one part.
func (l *Line) Check() error {
	parts := 0
	for _, there := range []bool{l.System != nil, l.Policy != nil, l.Account != nil, l.End != nil} {
		if there {
			parts++
		}
	}
	if parts != 1 {
		return errors.New("a line holds one of snapshot, policy, account and end")
	}
	return nil
}

func originOf(o facts.Origin) Origin { return Origin(o) }

func valueOf(id setting.ID, v facts.Sourced) Value {
	def := setting.At(id)
	return Value{def.Name, def.Text(v.Value), originOf(v.Origin)}
}

// read finds the setting and reads its value.
func (v *Value) read() (setting.ID, facts.Sourced, error) {
	id, ok := setting.Find(v.Setting)
	if !ok {
		return 0, facts.Sourced{}, fmt.Errorf("no setting is named %.60q", v.Setting)
	}
	value, err := setting.At(id).Parse(v.Value)
	if err != nil {
		return 0, facts.Sourced{}, fmt.Errorf("%s: %w", v.Setting, err)
	}
	return id, facts.Sourced{Value: value, Origin: facts.Origin(v.Origin), Hidden: !value.Known()}, nil
}

// OfPolicy writes a policy down.
func OfPolicy(p *facts.Policy) *Policy {
	out := &Policy{Name: p.Name, Settings: []Value{}, Roles: p.Roles, Unit: p.Unit, Parent: p.Parent, Priority: p.Priority,
		Changed: Moment(p.Changed), Open: p.Open, Origin: originOf(p.Origin)}
	for id, v := range p.Values {
		if v.Known() || v.Hidden { // which is written as unknown
			out.Settings = append(out.Settings, valueOf(id, v))
		}
	}
	return out
}

// Policy reads a policy. What has no origin of its own stood where fallback
// says.
func (p *Policy) Policy(fallback facts.Origin) (facts.Policy, error) {
	out := facts.Policy{Name: p.Name, Roles: p.Roles, Unit: p.Unit, Parent: p.Parent, Priority: p.Priority,
		Changed: facts.Moment(p.Changed), Open: p.Open, Origin: orElse(p.Origin, fallback)}
	if p.Name == "" {
		return out, errors.New("a policy needs a name")
	}
	for i := range p.Settings {
		id, v, err := p.Settings[i].read()
		if err != nil {
			return out, err
		}
		out.Set(id, v.Value, orElse(p.Settings[i].Origin, fallback))
	}
	return out, nil
}

func orElse(o Origin, fallback facts.Origin) facts.Origin {
	if o.File == "" {
		return fallback
	}
	return facts.Origin(o)
}

func count(c facts.Counted) *int {
	if !c.Known {
		return nil
	}
	return &c.N
}

func counted(n *int) facts.Counted {
	if n == nil {
		return facts.Counted{}
	}
	return facts.CountOf(*n)
}

// OfAccount writes an account down into out, whose lists are used again.
func OfAccount(out *Account, a *facts.Account) {
	groups, roles, overrides := out.Groups[:0], out.Roles[:0], out.Overrides[:0]
	*out = Account{
		Login: a.Login, DN: a.DN, DisplayName: a.DisplayName, FirstName: a.FirstName, LastName: a.LastName, Email: a.Email, EmployeeNo: a.EmployeeNo,
		Description: a.Description, Kind: a.Kind, Unit: a.Unit, Policy: a.Policy, PolicyOpen: a.PolicyOpen, Reaching: a.Reaching,
		Privileged: Answer(a.Privileged), Enabled: Answer(a.Enabled), Locked: Answer(a.Locked),
		MustChange: Answer(a.MustChange), NeverExpires: Answer(a.NeverExpires),
		CannotChange: Answer(a.CannotChange), BlankAllowed: Answer(a.BlankAllowed), Blank: Answer(a.Blank),
		PasswordUsable: Answer(a.PasswordUsable), PasswordIsLogin: Answer(a.PasswordIsLogin),
		AsDelivered: Answer(a.AsDelivered), SecondFactor: Answer(a.SecondFactor),
		Preauthenticates: Answer(a.Preauthenticates), RemotePassword: Answer(a.RemotePassword), KeySet: Moment(a.KeySet),
		EntersUnasked: Answer(a.EntersUnasked),
		UnaskedPower:  Answer(a.UnaskedPower), Rounds: count(a.Rounds), Tries: count(a.Tries), PowerTries: count(a.PowerTries),
		Created: Moment(a.Created), PasswordSet: Moment(a.PasswordSet), FlagDecides: a.FlagDecides, DueAtEnd: a.DueAtEnd, ChangeFirst: a.ChangeFirst,
		ShutAtEnd:       a.ShutAtEnd,
		RunOut:          a.RunOut,
		PasswordExpires: Moment(a.PasswordExpires),
		LastSignIn:      Moment(a.LastSignIn),
		LockedSince:     Moment(a.LockedSince), LockedUntil: Moment(a.LockedUntil), Ends: Moment(a.Ends),
		Failures: count(a.Failures), Length: count(a.Length), GraceUsed: count(a.GraceUsed), Origin: originOf(a.Origin),
	}
	if storage := setting.Storage; a.Storage.Known() {
		out.Storage = setting.At(storage).Text(a.Storage)
	}
	if a.GroupsKnown {
		out.Groups = append(append(make([]string, 0, len(a.Groups)), groups...), a.Groups...)
	}
	if a.RolesKnown {
		out.Roles = append(append(make([]string, 0, len(a.Roles)), roles...), a.Roles...)
	}
	for _, o := range a.Overrides {
		if o.Known() || o.Hidden {
			overrides = append(overrides, valueOf(o.Setting, o.Sourced))
		}
	}
	out.Overrides = overrides
}

// Account reads an account into out. What has no origin of its own stood where
// fallback says. mark makes the mark of a stored password out of a number.
func (a *Account) Account(out *facts.Account, fallback facts.Origin, mark func(uint64) uint64) error {
	*out = facts.Account{
		Login: a.Login, DN: a.DN, DisplayName: a.DisplayName, FirstName: a.FirstName, LastName: a.LastName, Email: a.Email, EmployeeNo: a.EmployeeNo,
		Description: a.Description, Kind: a.Kind, Unit: a.Unit, Policy: a.Policy, PolicyOpen: a.PolicyOpen, Reaching: a.Reaching,
		Privileged: facts.Tri(a.Privileged), Enabled: facts.Tri(a.Enabled), Locked: facts.Tri(a.Locked),
		MustChange: facts.Tri(a.MustChange), NeverExpires: facts.Tri(a.NeverExpires),
		CannotChange: facts.Tri(a.CannotChange), BlankAllowed: facts.Tri(a.BlankAllowed), Blank: facts.Tri(a.Blank),
		PasswordUsable: facts.Tri(a.PasswordUsable), PasswordIsLogin: facts.Tri(a.PasswordIsLogin),
		AsDelivered: facts.Tri(a.AsDelivered), SecondFactor: facts.Tri(a.SecondFactor),
		Preauthenticates: facts.Tri(a.Preauthenticates), RemotePassword: facts.Tri(a.RemotePassword),
		KeySet: facts.Moment(a.KeySet), EntersUnasked: facts.Tri(a.EntersUnasked),
		UnaskedPower: facts.Tri(a.UnaskedPower), Rounds: counted(a.Rounds), Tries: counted(a.Tries), PowerTries: counted(a.PowerTries),
		Created: facts.Moment(a.Created), PasswordSet: facts.Moment(a.PasswordSet), FlagDecides: a.FlagDecides, DueAtEnd: a.DueAtEnd, ChangeFirst: a.ChangeFirst,
		ShutAtEnd:       a.ShutAtEnd,
		RunOut:          a.RunOut,
		PasswordExpires: facts.Moment(a.PasswordExpires), LastSignIn: facts.Moment(a.LastSignIn),
		LockedSince: facts.Moment(a.LockedSince), LockedUntil: facts.Moment(a.LockedUntil), Ends: facts.Moment(a.Ends),
		Failures: counted(a.Failures), Length: counted(a.Length), GraceUsed: counted(a.GraceUsed), Origin: orElse(a.Origin, fallback),
		Groups: a.Groups, GroupsKnown: a.Groups != nil, Roles: a.Roles, RolesKnown: a.Roles != nil,
	}
	if a.Login == "" {
		return errors.New("an account needs a login")
	}
	if a.Kind != "" && !isKind(a.Kind) {
		return fmt.Errorf("%.40q is no kind of account", a.Kind)
	}
	if a.Storage != "" {
		storage := setting.At(setting.Storage)
		v, err := storage.Parse(a.Storage)
		if err != nil {
			return fmt.Errorf("storage: %w", err)
		}
		out.Storage = v
	}
	if a.SamePassword != 0 {
		out.StoredMark = mark(a.SamePassword)
	}
	for i := range a.Overrides {
		id, v, err := a.Overrides[i].read()
		if err != nil {
			return err
		}
		v.Origin = orElse(a.Overrides[i].Origin, fallback)
		out.Overrides = append(out.Overrides, facts.Override{Setting: id, Sourced: v})
	}
	return nil
}

func isKind(kind string) bool {
	for _, k := range facts.Kinds {
		if k == kind {
			return true
		}
	}
	return false
}
