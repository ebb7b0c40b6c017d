package intake

import (
	"regexp"
	"strings"
)

// A Query is one that a client is asked to run, as a format's How has it.
type Query struct {
	SQL  string
	File string // that the rows are written to
	Bare bool   // without a heading
}

var queryLine = regexp.MustCompile(`(?m)^(?:psql|mariadb) (.*)(?:-c|-e) "(.*)" > (\S+)$`)

// Queries are those of the lines that tell how to take an export by hand, so that an
// export that is taken asks the same.
func Queries(how string) []Query {
	var list []Query
	for _, m := range queryLine.FindAllStringSubmatch(how, -1) {
		list = append(list, Query{SQL: m[2], File: m[3], Bare: strings.Contains(m[1], "-At") || strings.Contains(m[1], "--skip-column-names")})
	}
	return list
}

// Asked lists queries with their files, for people.
func Asked(how string) []string {
	var list []string
	for _, q := range Queries(how) {
		list = append(list, q.File+": "+q.SQL)
	}
	return list
}
