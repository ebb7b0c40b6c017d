package main

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// now is the moment that the generated exports speak for.
var now = time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)

// columns are the fields of each account, as every form of export names them.
var columns = []string{
	"login", "name", "mail", "employee", "unit", "role", "type", "active", "locked",
	"must_change", "never_expires", "second_factor", "created", "password_set", "last_sign_in",
}

// lived are the further columns of accounts as houses have them.
var lived = []string{"groups", "scheme"}

func columnsOf(shape string) []string {
	if shape == "lived" {
		return slices.Concat(columns, lived)
	}
	return columns
}

// schemes are ways to store a password, with their grades.
var schemes = []struct{ name, grade string }{{"bcrypt", "salted slow"}, {"argon2id", "memory-hard"}, {"scrypt", "memory-hard"}, {"sha512crypt", "salted slow"},
	{"sha1", "unsalted fast"}, {"ssha", "salted fast"}, {"md5", "unsalted fast"}, {"pbkdf2", "salted slow"}}

var farNames = []string{"Łucja", "Søren", "Zoë", "Jürgen", "Núria", "Đorđe", "Ágnes", "İpek"}

// live makes of an account one as houses have them: a third of the names beyond
// ASCII, a third with a comma, up to six groups, and the scheme of the password.
func (m *maker) live(fields []string) {
	first, last, _ := strings.Cut(fields[1], " ")
	switch m.next(3) {
	case 0:
		fields[1] = m.pick(farNames) + " " + last
	case 1:
		fields[1] = last + ", " + first
	}
	var groups []string
	for range 1 + m.next(6) {
		groups = append(groups, fmt.Sprintf("%s-%02d", m.pick(groupNames), m.next(20)))
	}
	fields[len(columns)], fields[len(columns)+1] = strings.Join(groups, ";"), schemes[m.next(len(schemes))].name
}

var groupNames = []string{"watch", "berth", "tide", "stores"}

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
