package linux

import (
	"errors"
	"path"
	"slices"
	"strings"

	"yewcone/core/facts"
	"yewcone/intake"
)

// hosts are several hosts that make one system. Each has a policy of its own,
// which its accounts name.
type hosts struct {
	list   []*export
	system *facts.System
	notes  facts.Notes
}

func openHosts(r *intake.Request) (facts.Export, error) {
	h := &hosts{system: r.NewSystem()}
	h.system.Chooses = facts.ChooseAssigned
	names := hostNames(r.From)
	var last error
	for i, root := range r.From {
		e, err := openHost(r, root, names[i])
		var unreadable *intake.Unreadable
		if errors.As(err, &unreadable) {
			h.notes.Incomplete(facts.Origin{File: unreadable.File}, "%s", unreadable.Message)
			last = err
			continue
		}
		if err != nil {
			return nil, err
		}
		h.notes.Join(e.notes)
		e.notes = &h.notes
		h.list = append(h.list, e)
		h.system.Policies = append(h.system.Policies, *e.policy)
	}
	if len(h.list) == 0 {
		return nil, last
	}
	return h, nil
}

// hostNames are the folders' own names, or their paths where two are alike.
func hostNames(folders []string) []string {
	var names []string
	for _, f := range folders {
		names = append(names, path.Base(strings.TrimSuffix(f, "/")))
	}
	if short := slices.Clone(names); len(slices.Compact(slices.Sorted(slices.Values(short)))) < len(names) {
		return slices.Clone(folders)
	}
	return names
}

func (h *hosts) System() *facts.System { return h.system }
func (h *hosts) Notes() *facts.Notes   { return &h.notes }

// Accounts streams the accounts host by host.
func (h *hosts) Accounts(yield func(*facts.Account) error) error {
	for _, e := range h.list {
		err := e.Accounts(func(a *facts.Account) error {
			a.Policy = e.policy.Name
			return yield(a)
		})
		if err != nil {
			return err
		}
	}
	return nil
}
