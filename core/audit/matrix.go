package audit

import (
	"slices"

	"yewcone/core/finding"
	"yewcone/core/setting"
)

// A Cell is how a system stands to what is asked of one setting, over all kinds of
// accounts.
type Cell struct {
	State    string // the worst; "" where nothing is asked
	Accounts int
	Below    int
	Unknown  int
}

// A Matrix is what is asked on several systems, setting by setting.
type Matrix struct {
	Systems  []string
	Settings []setting.ID
	Cells    [][]Cell       // by setting and system
	Counts   map[string]int // cells by state
}

// MatrixOf gathers what is asked.
func MatrixOf(list []AskedOf) *Matrix {
	m := &Matrix{Counts: map[string]int{}}
	all := map[setting.ID][]Cell{}
	for i := range list {
		m.Systems = append(m.Systems, list[i].System)
		for n := range list[i].Standings {
			s := &list[i].Standings[n]
			if all[s.Setting] == nil {
				all[s.Setting] = make([]Cell, len(list))
				m.Settings = append(m.Settings, s.Setting)
			}
			c := &all[s.Setting][i]
			c.Accounts, c.Below, c.Unknown = c.Accounts+s.Accounts, c.Below+s.Below, c.Unknown+s.Unknown
			if slices.Index(askedStates, s.State()) > slices.Index(askedStates, c.State) {
				c.State = s.State()
			}
		}
	}
	slices.Sort(m.Settings)
	for _, id := range m.Settings {
		m.Cells = append(m.Cells, all[id])
		for _, c := range all[id] {
			if c.State != "" {
				m.Counts[c.State]++
			}
		}
	}
	return m
}

// askedStates are the states of what is asked, the worst last.
var askedStates = []string{finding.Met, finding.Open, Beyond, finding.Broken}
