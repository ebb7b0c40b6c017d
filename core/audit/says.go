package audit

import (
	"yewcone/core/effective"
	"yewcone/core/facts"
	"yewcone/core/setting"
)

// Says tells of which settings an export says anything: some policy of it does, or a
// value that holds for some account is known.
func Says(s *Subject, o Options) (says [setting.Len]bool, err error) {
	judge, err := NewJudge(s, o)
	if err != nil {
		return says, err
	}
	system := s.Export.System()
	for i := range system.Policies {
		for id := range setting.Len {
			says[id] = says[id] || system.Policies[i].Value(id).Known()
		}
	}
	var last *effective.Settings
	err = s.Export.Accounts(func(a *facts.Account) error {
		settings, _ := judge.Resolve(a)
		if settings == last {
			return nil
		}
		last = settings
		for id := range setting.Len {
			says[id] = says[id] || settings.Get(id).Value.Known()
		}
		return nil
	})
	return says, err
}
