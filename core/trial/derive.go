package trial

import (
	"yewcone/core/password"
	"yewcone/core/requirement"
	"yewcone/core/setting"
)

// A Derived is what was found for one system.
type Derived struct {
	Target     *Target // what holds today
	Examples   []Labelled
	Derivation *password.Derivation
}

// A Labelled example says where it stands.
type Labelled struct {
	File    string
	Line    int
	Good    bool
	Refused bool // by what holds today
}

// Derive finds the smallest sets of settings of a target's system that tell
// the examples of files apart. personOf gives the person of a sign-in name on
// that system.
func Derive(target *Target, files []*File, personOf func(login string) (*password.Person, error),
) (*Derived, error) {
	d := &Derived{Target: target}
	var examples []password.Example
	var measured []*password.Candidate
	for _, f := range files {
		list, err := f.examples(personOf)
		if err != nil {
			return nil, err
		}
		for i := range list {
			j, err := password.Judge(list[i].Candidate, &password.Against{Settings: target.Value, Person: list[i].Person,
				Lists: target.lists})
			if err != nil {
				return nil, err
			}
			d.Examples = append(d.Examples, Labelled{f.Name, f.Wants[i].Line, list[i].Good, len(j.Refused) > 0})
			measured = append(measured, list[i].Candidate)
		}
		examples = append(examples, list...)
	}
	if err := prepare(measured, []*Target{target}); err != nil {
		return nil, err
	}
	takes, err := target.takes()
	if err != nil {
		return nil, err
	}
	d.Derivation, err = password.Derive(examples, target.lists, takes)
	return d, err
}

// takes tells which values the system of a target can be set to.
func (t *Target) takes() (func(setting.ID, setting.Value) bool, error) {
	limits := map[setting.ID]requirement.Requirement{}
	for id, limit := range t.Limits {
		r, err := requirement.Parse(setting.At(id), limit.Phrase)
		if err != nil {
			return nil, err
		}
		limits[id] = r
	}
	return func(id setting.ID, v setting.Value) bool {
		r, limited := limits[id]
		return !limited || r.Test(v) == requirement.Meets
	}, nil
}

// examples are a file's candidates with their persons.
func (f *File) examples(personOf func(login string) (*password.Person, error)) ([]password.Example, error) {
	var list []password.Example
	for i := range f.Wants {
		w := &f.Wants[i]
		e := password.Example{Candidate: password.NewCandidate(w.Password), Good: w.Accepted}
		login := f.Whom.Account
		if w.As != "" {
			login = w.As
		}
		if login != "" {
			p, err := personOf(login)
			if err != nil {
				return nil, f.problem(w, err)
			}
			e.Person = p
		}
		list = append(list, e)
	}
	return list, nil
}

// PersonOn finds the person of a sign-in name on a system.
func PersonOn(s *Subject, login string) (*password.Person, error) {
	a, err := find(s.Export, login)
	if err != nil {
		return nil, err
	}
	return password.PersonOf(a), nil
}
