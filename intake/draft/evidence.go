package draft

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yewcone/intake/mapping"
	"yewcone/intake/table"
)

// kindOf tells what a table holds: pairs, document, rows or accounts; "" when
// nothing fits.
func (s *sample) kindOf() string {
	if s.document {
		return "document"
	}
	key, _ := s.keyColumn()
	if key >= 0 {
		return "pairs"
	}
	facts, settings, login := 0, 0, false
	for _, h := range s.header {
		f := match(factClues, h)
		if f != "" {
			facts++
		}
		login = login || f == "login"
		if match(settingClues, h) != "" {
			settings++
		}
	}
	switch {
	case login && facts >= 3 && facts > settings, facts > settings && facts >= 2 && s.names() >= 0:
		return "accounts"
	case settings >= 1 && len(s.rows) <= fewPolicies:
		return "rows"
	case s.names() >= 0 && len(s.rows) > fewPolicies:
		return "accounts"
	}
	return ""
}

// fewPolicies is how many policies a system may have; accounts are more.
const fewPolicies = 60

// names finds the column that reads most like sign-in names: the first with a
// short text without blanks in each row that stands in no other; -1 for none.
func (s *sample) names() int {
	for c := range s.header {
		seen, fits := map[string]bool{}, len(s.rows) >= 3
		for _, row := range s.rows {
			v := ""
			if c < len(row) {
				v = row[c]
			}
			if v == "" || len(v) > 64 || strings.ContainsAny(v, " \t$") || seen[v] || dateFormOf([]string{v}) != "" {
				fits = false
				break
			}
			seen[v] = true
		}
		if fits {
			return c
		}
	}
	return -1
}

// evidence tells what stands in a column: the commonest shapes of its values,
// or the few words that it has where a fact is a question, and how much of it is
// empty. What no line takes may be secret, and only its shapes are shown.
func (s *sample) evidence(c int, fact string) string {
	values := s.column(c)
	text := shapes(values)
	distinct := slices.Compact(slices.Sorted(slices.Values(values)))
	long := func(v string) bool { return len(v) > 20 }
	if n := len(distinct); mapping.KindOf(fact) == mapping.FlagFact && n > 0 && n <= 6 && len(values) >= 3*n &&
		!slices.ContainsFunc(distinct, long) {
		var words []string
		for _, v := range distinct {
			words = append(words, table.Shown(v))
		}
		text = strings.Join(words, ", ")
	}
	if gone := len(s.rows) - len(values); gone > 0 {
		text += fmt.Sprintf("; %d %% empty", (100*gone+len(s.rows)-1)/len(s.rows))
	}
	return text
}

// shapes are the three commonest shapes of values, those of a kind together.
func shapes(values []string) string {
	type span struct{ n, from, to int }
	spans := map[string]*span{}
	for _, v := range values {
		kind, n := table.Kind(v)
		s := spans[kind]
		if s == nil {
			s = &span{from: n, to: n}
			spans[kind] = s
		}
		s.n, s.from, s.to = s.n+1, min(s.from, n), max(s.to, n)
	}
	list := slices.SortedFunc(maps.Keys(spans), func(a, b string) int { return cmp.Or(spans[b].n-spans[a].n, strings.Compare(a, b)) })
	for i, kind := range list {
		if s := spans[kind]; s.from == s.to {
			list[i] = fmt.Sprintf("%s of %d", kind, s.from)
		} else {
			list[i] = fmt.Sprintf("%s of %d to %d", kind, s.from, s.to)
		}
	}
	if len(list) > 3 {
		list = append(list[:3], "and others")
	}
	if len(list) == 0 {
		return "nothing"
	}
	return strings.Join(list, ", ")
}

// keyColumn finds the column whose values read like settings.
func (s *sample) keyColumn() (column, hits int) {
	column = -1
	for c := range s.header {
		n := 0
		for _, v := range s.column(c) {
			if match(settingClues, v) != "" {
				n++
			}
		}
		if n >= 3 && n > hits && len(s.rows) <= 200 {
			column, hits = c, n
		}
	}
	return column, hits
}
