// Package reading tells what was read from exports, and what was not.
package reading

import (
	"time"
	"yewcone/core/audit"
	"yewcone/core/facts"
	"yewcone/core/finding"
	"yewcone/core/setting"
)

// An Intake tells what was read from the export of one system.
type Intake struct {
	Summary  finding.SystemResult
	System   *facts.System
	Settings [][]ReadSetting   // by policy, those that the policy says
	Unread   []facts.Unread    // what the files hold and nobody used
	Lines    []facts.LineTable // what each line of a mapping finds; nil for formats that need none
	Unknowns []finding.Unknown // what the rules of rule sets ask and the export does not show
	Before   *Earlier          // the last reading that is kept and was whole; nil for none
}

// Earlier is how many accounts an earlier export of a system had.
type Earlier struct {
	AsOf     time.Time
	Accounts int
}

// Shrunk reports whether more than a tenth of the accounts of the earlier reading
// are gone, which is more than leave between two exports.
func (in *Intake) Shrunk() bool {
	return in.Before != nil && in.Summary.Accounts*10 < in.Before.Accounts*9
}

// A ReadSetting is one setting as the export says it.
type ReadSetting struct {
	Name   string
	Value  string
	Origin facts.Origin
}

// Of reads each system to its end and tells what was read.
func Of(subjects []audit.Subject, o audit.Options) ([]Intake, error) {
	o.Relations = nil
	result, err := audit.Run("", subjects, o)
	if err != nil {
		return nil, err
	}
	var list []Intake
	for i := range subjects {
		in := Intake{Summary: result.Systems[i], System: subjects[i].Export.System()}
		for p := range in.System.Policies {
			in.Settings = append(in.Settings, readSettings(&in.System.Policies[p]))
		}
		if s, ok := subjects[i].Export.(facts.Skipper); ok {
			in.Unread = s.Unread()
		}
		if l, ok := subjects[i].Export.(facts.LineTeller); ok {
			if in.Lines, err = l.Lines(); err != nil {
				return nil, err
			}
		}
		for _, u := range result.Unknowns {
			if u.System == in.Summary.Name && !u.OnlyChecks() {
				in.Unknowns = append(in.Unknowns, u)
			}
		}
		list = append(list, in)
	}
	return list, nil
}

func readSettings(p *facts.Policy) []ReadSetting {
	var list []ReadSetting
	for id, v := range p.Values {
		if v.Known() {
			def := setting.At(id)
			list = append(list, ReadSetting{def.Name, def.Text(v.Value), v.Origin})
		}
	}
	return list
}
