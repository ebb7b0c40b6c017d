package mapping

import (
	"cmp"
	"strings"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake/ldif"
	"yewcone/intake/table"
)

// membership is who is in which group, out of a table of its own. It is held
// in memory: an account may stand anywhere in it.
type membership struct {
	groups *ldif.Groups
	match  strictyaml.Text // column of the accounts
	index  int             // of that column
	field  func(*facts.Account) (list *[]string, known *bool)
}

// prepareMembers reads the tables of members for a table of accounts.
func (e *export) prepareMembers(r *accountReader, t table.Table, source *accountsTable) error {
	for i := range source.Members {
		m := &source.Members[i]
		as := "groups"
		if m.As != nil {
			as = e.plan.choice(*m.As, "groups", "roles")
		}
		field, ok := listFacts[as]
		if !ok {
			continue
		}
		joined := membership{groups: ldif.NewGroups(), field: field}
		for _, take := range source.Take {
			if take.Key.Value == "login" {
				joined.match = take.Value.From
			}
		}
		if m.Match != nil {
			joined.match = *m.Match
		}
		joined.index = e.plan.column(t, joined.match)
		whole := true
		for _, file := range e.filesOf(m.File) {
			if err := e.readMembers(m, file, joined.groups); err != nil {
				if !e.missing(err) {
					return err
				}
				whole = false // what is not known must not read as "in no group"
			}
		}
		joined.groups.Close()
		if whole {
			r.members = append(r.members, joined)
		}
	}
	return nil
}

func (e *export) readMembers(m *membersTable, file strictyaml.Text, groups *ldif.Groups) error {
	t, err := e.openTable(e.fileOf(file.Value), shape{m.Form, m.Rows, m.Sheet, m.Heading}, &e.Noted)
	if err != nil {
		return err
	}
	defer t.Close()
	account, group, id := e.plan.column(t, m.Account), e.plan.column(t, m.Group), -1
	if m.ID != nil {
		id = e.plan.column(t, *m.ID)
	}
	if len(e.plan.problems) > 0 {
		return nil
	}
	split := cmp.Or(m.Split, "\n")
	names := map[string]string{} // each kept once
	for row, at := t.Next(); row != nil; row, at = t.Next() {
		name := table.Cell(row, group)
		if name == "" {
			e.Noted.Refuse(at.In(t.Origin()), "the row names no group")
			continue
		}
		if known, ok := names[name]; ok {
			name = known
		} else {
			name = strings.Clone(name)
			names[name] = name
		}
		key := name
		if id >= 0 {
			key = strings.Clone(table.Cell(row, id))
		}
		groups.Name(key, name)
		for member := range strings.SplitSeq(table.Cell(row, account), split) {
			if member = strings.TrimSpace(member); member != "" {
				groups.Add(member, key)
			}
		}
	}
	taken := map[string]bool{m.Account.Value: true, m.Group.Value: true}
	if m.ID != nil {
		taken[m.ID.Value] = true
	}
	e.leftOver(t.Origin(), t.Headings(), taken)
	if l, ok := t.(table.Leaver); ok {
		e.addUnread(l.Unread())
	}
	return nil
}

// join adds the groups of the account in a row.
func (m *membership) join(a *facts.Account, row []string) {
	if row[m.index] == table.Absent {
		return
	}
	list, known := m.field(a)
	*known = true
	*list = m.groups.Of(*list, strings.TrimSpace(row[m.index]))
}
