package main

import (
	"fmt"
	"time"
)

// now is the moment that the generated exports speak for.
var now = time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)

// columns are the fields of each account, as every form of export names them.
var columns = []string{
	"login", "name", "mail", "employee", "unit", "role", "type", "active", "locked",
	"must_change", "never_expires", "second_factor", "created", "password_set", "last_sign_in",
}

var (
	firstNames = []string{"Ada", "Bryn", "Cora", "Davin", "Esme", "Fern", "Gareth", "Hettie", "Idris", "Juno", "Kester",
		"Lowri", "Merrin", "Nell", "Osric", "Petra"}
	lastNames = []string{"Anchorley", "Brackwater", "Capstan", "Dunelow", "Estuary", "Farewell", "Gannetry", "Harbourne",
		"Inkpen", "Jettison", "Keelby", "Lanyard"}
	units = []string{"Fleet/Deck/Marrowby Star", "Fleet/Deck/Sound Gull", "Fleet/Engine/Marrowby Star",
		"Shore/Ticket office", "Shore/Cargo", "Shore/Accounts", "Shore/Systems", "Fleet/Catering/Sound Gull"}
	roles = []string{"deck crew", "engineer", "ticket clerk", "cargo planner", "bookkeeper", "administrator", "steward", "master"}
	kinds = []string{"person", "person", "person", "person", "person", "person", "service", "shared"}
)

// maker makes made-up accounts, the same ones each time.
type maker struct{ state uint64 }

func (m *maker) next(n int) int {
	m.state += 0x9e3779b97f4a7c15
	z := m.state
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return int((z ^ z>>31) % uint64(n))
}

func (m *maker) pick(list []string) string { return list[m.next(len(list))] }

// oneIn answers yes once in n times.
func (m *maker) oneIn(n int) string {
	if m.next(n) == 0 {
		return "yes"
	}
	return "no"
}

// before returns a moment up to so many days before now.
func (m *maker) before(days int) time.Time {
	return now.Add(-time.Duration(m.next(days*86400)) * time.Second)
}

// account fills the fields of account number i. Dates are times until a form
// writes them.
func (m *maker) account(i int, fields []string, date func(time.Time) string) {
	first, last := m.pick(firstNames), m.pick(lastNames)
	login := fmt.Sprintf("%s%s%06d", first[:1], last[:3], i)
	if m.next(200) == 0 {
		login = "test-" + login
	}
	made := m.before(3000)
	set := made.Add(time.Duration(m.next(int(now.Sub(made)/time.Second)+1)) * time.Second)
	seen := ""
	if m.next(20) != 0 {
		seen = date(set.Add(time.Duration(m.next(int(now.Sub(set)/time.Second)+1)) * time.Second))
	}
	copy(fields, []string{
		login, first + " " + last, fmt.Sprintf("%s.%s.%d@marrowby.example", first, last, i), fmt.Sprintf("MS-%07d", i),
		m.pick(units), m.pick(roles), m.pick(kinds), yesUnless(m.oneIn(9)), m.oneIn(50), m.oneIn(30), m.oneIn(40), m.oneIn(3),
		date(made), date(set), seen,
	})
}

func yesUnless(answer string) string {
	if answer == "yes" {
		return "no"
	}
	return "yes"
}
