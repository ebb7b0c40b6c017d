package linux

import (
	"errors"
	"path"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/intake"
)

// hosts are several hosts that make one system. Each has a policy of its own,
// which its accounts name.
type hosts struct {
	intake.Base
	list []*export
}

func openHosts(r *intake.Request) (facts.Export, error) {
	h := &hosts{Base: r.NewBase()}
	h.Read.Chooses = facts.ChooseAssigned
	names := hostNames(r.From)
	var last error
	for i, root := range r.From {
		e, err := openHost(r, root, names[i])
		var unreadable *intake.Unreadable
		if errors.As(err, &unreadable) {
			h.Noted.Incomplete(facts.Origin{File: unreadable.File}, "%s", unreadable.Message)
			last = err
			continue
		}
		if err != nil {
			return nil, err
		}
		h.Noted.Join(&e.Noted)
		h.list = append(h.list, e)
		h.Read.Policies = append(h.Read.Policies, *e.policy)
	}
	if len(h.list) == 0 {
		return nil, last
	}
	h.taken()
	return h, nil
}

// taken makes the latest moment of the hosts that of all, where each tells one.
func (h *hosts) taken() {
	if !h.Read.AsOf.IsZero() {
		return
	}
	for _, e := range h.list {
		if e.Read.AsOf.IsZero() {
			h.Read.AsOf, h.Read.AsOfFrom = time.Time{}, ""
			return
		}
		if e.Read.AsOf.After(h.Read.AsOf) {
			h.Read.AsOf, h.Read.AsOfFrom = e.Read.AsOf, "the latest taken.txt"
		}
	}
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

// Accounts streams the accounts host by host.
func (h *hosts) Accounts(yield func(*facts.Account) error) error {
	return facts.InOrder(h.Parts, yield)
}

// Parts divides the accounts of each host.
func (h *hosts) Parts(yield func(facts.Part) error) error {
	for _, e := range h.list {
		all := e.records(&h.Noted, func(a *facts.Account) { a.Policy = e.policy.Name })
		if err := all.Parts(yield); err != nil {
			return err
		}
	}
	return nil
}
