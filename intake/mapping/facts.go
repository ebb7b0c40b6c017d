package mapping

import (
	"slices"

	"yewcone/core/facts"
)

// The facts that a mapping can fill, by the kind of value that they take.
var (
	textFacts = map[string]func(*facts.Account) *string{
		"login":        func(a *facts.Account) *string { return &a.Login },
		"display_name": func(a *facts.Account) *string { return &a.DisplayName },
		"first_name":   func(a *facts.Account) *string { return &a.FirstName },
		"last_name":    func(a *facts.Account) *string { return &a.LastName },
		"email":        func(a *facts.Account) *string { return &a.Email },
		"employee_no":  func(a *facts.Account) *string { return &a.EmployeeNo },
		"description":  func(a *facts.Account) *string { return &a.Description },
		"unit":         func(a *facts.Account) *string { return &a.Unit },
		"policy":       func(a *facts.Account) *string { return &a.Policy },
		"kind":         func(a *facts.Account) *string { return &a.Kind },
	}
	triFacts = map[string]func(*facts.Account) *facts.Tri{
		"privileged":       func(a *facts.Account) *facts.Tri { return &a.Privileged },
		"enabled":          func(a *facts.Account) *facts.Tri { return &a.Enabled },
		"locked":           func(a *facts.Account) *facts.Tri { return &a.Locked },
		"must_change":      func(a *facts.Account) *facts.Tri { return &a.MustChange },
		"never_expires":    func(a *facts.Account) *facts.Tri { return &a.NeverExpires },
		"cannot_change":    func(a *facts.Account) *facts.Tri { return &a.CannotChange },
		"blank_allowed":    func(a *facts.Account) *facts.Tri { return &a.BlankAllowed },
		"blank":            func(a *facts.Account) *facts.Tri { return &a.Blank },
		"password_usable":  func(a *facts.Account) *facts.Tri { return &a.PasswordUsable },
		"second_factor":    func(a *facts.Account) *facts.Tri { return &a.SecondFactor },
		"as_delivered":     func(a *facts.Account) *facts.Tri { return &a.AsDelivered },
		"preauthenticates": func(a *facts.Account) *facts.Tri { return &a.Preauthenticates },
		"remote_password":  func(a *facts.Account) *facts.Tri { return &a.RemotePassword },
		"enters_unasked":   func(a *facts.Account) *facts.Tri { return &a.EntersUnasked },
		"unasked_power":    func(a *facts.Account) *facts.Tri { return &a.UnaskedPower },
	}
	dateFacts = map[string]func(*facts.Account) *facts.Moment{
		"created":          func(a *facts.Account) *facts.Moment { return &a.Created },
		"password_set":     func(a *facts.Account) *facts.Moment { return &a.PasswordSet },
		"password_expires": func(a *facts.Account) *facts.Moment { return &a.PasswordExpires },
		"last_sign_in":     func(a *facts.Account) *facts.Moment { return &a.LastSignIn },
		"locked_since":     func(a *facts.Account) *facts.Moment { return &a.LockedSince },
		"account_ends":     func(a *facts.Account) *facts.Moment { return &a.Ends },
		"locked_until":     func(a *facts.Account) *facts.Moment { return &a.LockedUntil },
	}
	listFacts = map[string]func(*facts.Account) (list *[]string, known *bool){
		"groups": func(a *facts.Account) (*[]string, *bool) { return &a.Groups, &a.GroupsKnown },
		"roles":  func(a *facts.Account) (*[]string, *bool) { return &a.Roles, &a.RolesKnown },
	}
)

// A FactKind is how a mapping fills a fact.
type FactKind uint8

// The kinds of facts.
const (
	NoFact FactKind = iota
	TextFact
	FlagFact // yes or no
	DateFact
	ListFact
)

// KindOf tells how a mapping fills a fact; NoFact where it does not.
func KindOf(fact string) FactKind {
	switch {
	case textFacts[fact] != nil:
		return TextFact
	case triFacts[fact] != nil:
		return FlagFact
	case dateFacts[fact] != nil:
		return DateFact
	case listFacts[fact] != nil:
		return ListFact
	}
	return NoFact
}

// factNames lists the facts that a mapping can fill.
func factNames() []string {
	names := []string{"storage", "stored_value", "password_length"}
	for n := range textFacts {
		names = append(names, n)
	}
	for n := range triFacts {
		names = append(names, n)
	}
	for n := range dateFacts {
		names = append(names, n)
	}
	for n := range listFacts {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}
