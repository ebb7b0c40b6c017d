package ldif

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
	"yewcone/intake/text"
)

// TestEntries: folded lines, base64, remarks and options of attributes; each
// value knows its line, and a file that ends within an entry is incomplete.
func TestEntries(t *testing.T) {
	const export = "version: 1\n\n# a remark\ndn: uid=ada,ou=People,dc=example\nobjectClass: inetOrgPerson\ndescription: one\n  and two\n" +
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
	list, notes := read(export)
	if got := fmt.Sprintf("%q", list); got != `["4 uid=ada,ou=people,dc=example People Åda description at 6: one and two" "11 uid=bo,dc=example  "]` {
		t.Errorf("%s; %v", got, notes.List())
	}
	if _, notes = read(export[:len(export)-60]); !notes.Partial() {
		t.Errorf("a file that ends within an entry is whole: %v", notes.List())
	}
}

// TestEndOfPieces: whether a file ends within an entry does not depend on where its pieces
// end; remarks behind the last entry may be a piece of their own.
func TestEndOfPieces(t *testing.T) {
	size := text.PieceSize
	defer func() { text.PieceSize = size }()
	const entries = "dn: uid=a,dc=example\nuid: a\n\ndn: uid=b,dc=example\nuid: b\n"
	for end, whole := range map[string]bool{"\n# 2 entries\n# 0 referrals\n": true, "\n": true, "": false, "# 2 entries\n# 0 referrals\n": false} {
		for text.PieceSize = 20; text.PieceSize < len(entries+end)+2; text.PieceSize++ {
			var notes facts.Notes
			r := &intake.Request{Folder: intaketest.Write(t, map[string]string{"x.ldif": entries + end}), From: []string{"x.ldif"}}
			none := func(*Entry) bool { return false }
			if err := NewFiles(r, &notes, "uid").Gather("", "", none, nil); err != nil || notes.Partial() == whole {
				t.Errorf("%q in pieces of %d bytes: %v, %v", entries+end, text.PieceSize, err, notes.List())
			}
		}
	}
}

// TestNamesByTheLibrary: a name that needs no parser comes out as the library's parser has it.
func TestNamesByTheLibrary(t *testing.T) {
	r, quick := rand.New(rand.NewPCG(4, 4)), 0
	for range 200_000 {
		var b strings.Builder
		for range 1 + r.IntN(3) {
			if b.Len() > 0 {
				b.WriteString([]string{",", ",", ", ", " ,"}[r.IntN(4)])
			}
			b.WriteString([]string{"uid=", "OU=", "cn =", "o= "}[r.IntN(4)])
			for range 1 + r.IntN(4) {
				b.WriteString([]string{"a", "B", " ", "é", "-", "7", "\\,", "+cn=x"}[r.IntN(8)])
			}
		}
		dn := b.String()
		if got, want := NormalDN(dn), parsed(dn); got != want {
			t.Fatalf("%q is %q, want %q", dn, got, want)
		}
		if _, odd := folded(nil, dn); odd&(escapes|loose) == 0 {
			quick++
		}
	}
	if quick < 10_000 {
		t.Errorf("only %d needed no parser", quick)
	}
}

// TestNormalDN: a name comes out the same however it is written, and others do not.
func TestNormalDN(t *testing.T) {
	for want, list := range map[string][]string{
		"cn=ann lee,ou=deck crew,dc=example": {"CN=Ann Lee,OU=Deck Crew,DC=example", "cn = ann lee , ou=deck crew, dc=example ", `cn=ann\20lee,ou=deck crew,dc=example`},
		"cn=øyvind å,ou=dekk":                {"CN=Øyvind Å,OU=Dekk", "cn=øyvind å, ou=dekk", `cn=\C3\98yvind \C3\85,ou=dekk`},
		`cn=lee\, ann,ou=deck`:               {`CN=Lee\, Ann,OU=Deck`, `cn=Lee\2C Ann, ou=deck`},
		"cn=ann+uid=7,ou=deck":               {"uid=7+cn=Ann,ou=deck", "CN=ann + UID=7, OU=deck"},
		"cn=a=b,ou=deck":                     {"cn=A=b,ou=deck"},
		"cn=a =b,ou=deck":                    {"cn=A =b,ou=deck"},
	} {
		for _, dn := range list {
			if got := NormalDN(dn); got != want {
				t.Errorf("%q: %q, want %q", dn, got, want)
			}
		}
	}
}

// TestGroups: memberships at random, with circles and groups without a name, are
// what a walk through all of them finds.
func TestGroups(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		g, parents, names := NewGroups(), map[string][]string{}, map[string]string{}
		groups := 2 + r.IntN(80)
		for n := range groups {
			if dn := fmt.Sprint("cn=", n); r.IntN(4) > 0 {
				names[dn] = fmt.Sprint("Group ", n)
				g.Name(dn, names[dn])
			}
		}
		var members []string
		for range 300 {
			member, group := fmt.Sprint("uid=", r.IntN(30)), fmt.Sprint("cn=", r.IntN(groups))
			if r.IntN(3) == 0 {
				member = fmt.Sprint("cn=", r.IntN(groups))
			}
			members = append(members, member)
			parents[member] = append(parents[member], group)
			g.Add(member, group)
		}
		g.Close()
		for _, m := range members {
			seen, queue := map[string]bool{}, slices.Clone(parents[m])
			var want []string
			for ; len(queue) > 0; queue = queue[1:] {
				if dn := queue[0]; !seen[dn] {
					seen[dn] = true
					queue = append(queue, parents[dn]...)
					if names[dn] != "" {
						want = append(want, names[dn])
					}
				}
			}
			got := g.Of(nil, m)
			direct := !slices.ContainsFunc(parents[m], func(dn string) bool { return !g.Direct(m, dn) })
			var through []string
			for _, dn := range g.DNs([]string{m}) {
				if dn != m || slices.Contains(want, names[dn]) {
					through = append(through, names[dn])
				}
			}
			slices.Sort(got)
			slices.Sort(want)
			slices.Sort(through)
			if !slices.Equal(got, want) || !direct || !slices.Equal(through, want) {
				t.Fatalf("%s: %q, %q, want %q", m, got, through, want)
			}
		}
	}
}
