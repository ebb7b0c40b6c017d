package ldif

import (
	"fmt"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// TestEntries: folded lines, base64, remarks and options of attributes; each
// value knows its line, and a file that ends within an entry is incomplete.
func TestEntries(t *testing.T) {
	const text = "version: 1\n\n# a remark\ndn: uid=ada,ou=People,dc=example\nobjectClass: inetOrgPerson\ndescription: one\n  and two\n" +
		"cn:: w4VkYQ==\nmail;lang-no: ada@example\n\ndn: uid=bo,dc=example\nuid: bo\n\nref: ldap://other\n\n# search result\nsearch: 2\n\n"
	read := func(text string) (list []string, notes facts.Notes) {
		r := &intake.Request{Folder: intaketest.Write(t, map[string]string{"x.ldif": text}), From: []string{"x.ldif"}}
		err := NewFiles(r, &notes, "uid cn description").Scan(func(file string, x *Entry) error {
			line := ""
			if a, ok := x.First("description"); ok {
				line = fmt.Sprint(" description at ", a.Line, ": ", a.Value)
			}
			list = append(list, fmt.Sprint(x.Line, " ", NormalDN(x.DN), " ", UnitOf(x.DN), " ", x.Text("cn"), line))
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		return list, notes
	}
	list, notes := read(text)
	if got := fmt.Sprintf("%q", list); got != `["4 uid=ada,ou=people,dc=example People Åda description at 6: one and two" "11 uid=bo,dc=example  "]` {
		t.Errorf("%s; %v", got, notes.List())
	}
	if _, notes = read(text[:len(text)-60]); !notes.Partial() {
		t.Errorf("a file that ends within an entry is whole: %v", notes.List())
	}
}
