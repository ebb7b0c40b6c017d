package ldifrows

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/intaketest"
	"yewcone/intake/ldif"
	"yewcone/intake/text"
)

// compareTogether holds entries that are read together against the same one by one, and
// behind others, which are of the same look.
func compareTogether(t *testing.T, entries string) {
	t.Helper()
	for _, class := range []string{"", "person"} {
		piece := text.Piece{Text: entries, Line: 1, Last: true}
		half := piece
		half.Text = entries[ldif.AfterEntry(entries[:len(entries)/2]):]
		told := func(together, behind bool) string {
			whole := &ldifTable{class: class, ending: ldif.NewEntries(nil), skipped: map[string]bool{},
				wanted: map[string]bool{"dn": true, "version": true, "search": true, "result": true, "changetype": true, "objectclass": true,
					"descriptiononeaccount": true, "descriptiontwoaccount": true}}
			for _, c := range []string{"uid", "dn", "cn", "memberOf", "locked", "pwdReset", "descriptionOneAccount", "never", "cn"}[:8+len(class)/6] {
				if _, err := whole.Column(c); err != nil {
					t.Fatal(err)
				}
			}
			var before, notes facts.Notes
			if behind {
				rows := whole.Part(half, &before)
				intaketest.Rows(rows, whole.Width(), true)
				whole.Absorb(rows)
			}
			rows := whole.Part(piece, &notes).(*ldifRows)
			read := intaketest.Rows(rows, whole.Width(), together)
			told := fmt.Sprint(read, rows.count, rows.all, rows.Line, rows.Closed, rows.Failed, rows.Told, notes.List())
			whole.Absorb(rows)
			return fmt.Sprint(told, whole.found, slices.Sorted(maps.Keys(whole.skipped)))
		}
		one := told(false, false)
		if many := told(true, false); one != many {
			t.Fatalf("%q\none by one %s\ntogether   %s", entries, one, many)
		}
		if many := told(true, true); one != many {
			t.Fatalf("%q\none by one    %s\nbehind others %s", entries, one, many)
		}
	}
}

var someEntries = []string{
	"dn: uid=a\nobjectClass: top\nobjectClass: person\nuid: a\ncn: Ada\nmemberOf: x\nmemberOf: y\npwdReset: TRUE\nlocked: no\n\n" +
		"dn: uid=b\nobjectClass: top\nobjectClass: person\nuid: b\ncn:: QmVu\nmemberOf: x\npwdReset: FALSE\n\n" +
		"dn: uid=c\nobjectClass: top\nobjectClass: group\nuid: c\nlocked: yes\n\n" +
		"dn: uid=d\nobjectClass: top\nobjectClass: person\nuid: d\ncn: De\n e\npwdReset: perhaps\n\n",
	"dn: uid=a\nuid: a\nother: 1\ncn:  a\n\ndn: uid=b\nuid: b\nother: 2\ncn: b\n\n" +
		"# numEntries: 2\ndn:: dWlkPWM=\nuid: c\nother: 1\n\ndn: uid=d\nuid: d\nuid: e\nother:: !!\n\n",
	"dn: uid=a\r\nuid: a\r\ncn: \r\ncn: x\r\n\r\ndn: uid=b\r\nuid: b\r\ncn: y\r\ncn: z\r\n\r\ndn: uid=c\r\nuid: c\r\r\n\n\ndn: uid=d\nuid:\ncn: ",
	"dn: uid=a\nobjectClass: person\nuid: a\ncn: x\nmemberOf: p\nmemberOf: q\n\ndn: uid=b\ncn: y\nmemberOf: p\nuid: b\nobjectClass: person\n\n" +
		"dn: uid=c\ncn:: eQ==\nmemberOf: p\nuid: c\nmemberOf: q\nobjectClass: person\n\ndn: uid=d\ncn: y\nuid: d\n\ncn: y\ndn: uid=e\n\n",
	"dn:0\nuid:\ncn:\n\ndn: \ncn: 0\nuid: \ncn: \n\n",
	"dn:000000000000000000000000\n\n\n",
	"dn:0\nobjectClass:person\n\ndn: 0\nobjectClass::\n\n0", "dn: a\nobjectClass: person\n\ndn: b\nobjectClass:: Z3JvdXA=\n\n",
	"dn:\ncn:0\nuid:\nCn:\n\ndn: \ncn: 0\nCn: 0\n\ndn:\nuid:0000000\n\ndn: \nuid::\n0", "dn: \nuid: a\nuid;lang-en: b\n\ndn: \nuid: c\nuid;lang-en: d\n\n",
	"dn: a\ncn:: QmVu\nuid: 1\n\ndn: b\ncn:: QmVu\nuid: 2\n\ndn: c\ncn:: QmVu\ncn: x\nuid: 3\n\ndn: d\ncn: y\nuid: 4\n\ndn: e\ncn:: ?\nuid: 5\n\n" +
		"dn: f\ncn:: \ncn: x\nuid: 6\n\n",
	"dn: a\nuid: 1\n\ndn: b\nuid: 2\n\n\nuid: 3\n\n\n\ndn: d\nuid: 4\n\n", "dn: a\r\nuid: 1\r\n\r\ndn: b\r\nuid: 2\r\n\r\n\r\nuid: 3\r\n\r\n",
	"dn: a\ncn: x\nuid: 1\ncn: y\n\ndn: b\ncn: x\nuid: 1\ncn: y\n\ndn: c\nuid: 2\n\ndn: d\ndn: e\n\nresult: 4 Size limit exceeded\n",
}

// TestTogether: entries that are read together are those that are read one by one.
func TestTogether(t *testing.T) {
	for _, entries := range someEntries {
		compareTogether(t, entries)
	}
}

func FuzzTogether(f *testing.F) {
	for _, entries := range someEntries {
		f.Add(entries)
	}
	f.Fuzz(compareTogether)
}

// atRandom makes some entries, mostly with the same attributes in one order.
func atRandom(r *rand.Rand) string {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	odd := 2 + r.IntN(40) // one in so many is not the usual
	end := pick("\n", "\n", "\n", "\r\n")
	value := func(usual string) string {
		if r.IntN(odd) > 0 {
			return ": " + usual
		}
		return pick(":"+usual, ":  "+usual, ":", ": ", ":: QmVu", ":: !!", "::", ":: Zm9v\n ZA==",
			": "+usual+end+" folded", ": "+usual+end+" ", "", ": é", ": \xff", ":< file:///x", ": a:b", ":: QmVuCg==",
			": "+usual+"\r", ": \x01")
	}
	name := func(usual string) string {
		if r.IntN(odd) > 0 {
			return usual
		}
		return pick(strings.ToUpper(usual), usual+";lang-en", usual+"x", "# "+usual, " "+usual, usual+" ", "", "other", "version", "result", "changetype")
	}
	var text strings.Builder
	single := r.IntN(2) == 0 // each attribute has one value
	for range 1 + r.IntN(30) {
		lines := []string{name("dn") + value("uid=a"), name("objectClass") + value("top"), name("objectClass") + value(pick("person", "person", "person", "person", "personal", "group")),
			name("uid") + value(pick("a", "b")),
			name("cn") + value("Ada"), name("memberOf") + value("x"), name("memberOf") + value("y"), name("pwdReset") + value("TRUE"), name("locked") + value("no"),
			name("free") + value("w")}
		if single {
			lines = slices.Delete(slices.Delete(lines, 6, 7), 1, 2)
			lines[1] = name("objectClass") + value("person")
			lines = append(lines, pick("descriptionOneAccount", "descriptionTwoAccount")+value("v"), "descriptionTwoAccount"+value("v"))[:len(lines)+r.IntN(3)]
		}
		if r.IntN(odd) == 0 {
			rest := lines[1:]
			r.Shuffle(len(rest), func(i, j int) { rest[i], rest[j] = rest[j], rest[i] })
		}
		if r.IntN(odd) == 0 {
			lines = slices.Delete(lines, r.IntN(3), 3+r.IntN(len(lines)-3))
		}
		if r.IntN(odd) == 0 {
			lines = append(lines, lines[r.IntN(len(lines))])
		}
		for range r.IntN(3) { // one line less, or one twice
			if i := r.IntN(len(lines)); i > 0 && r.IntN(odd) < 2 {
				if lines = slices.Insert(lines, i, lines[i]); r.IntN(2) == 0 {
					lines = slices.Delete(lines, i, i+2)
				}
			}
		}
		for _, line := range lines {
			text.WriteString(line + end)
		}
		if r.IntN(odd) == 0 {
			text.WriteString(pick("", end, " "+end, "# numEntries: 3"+end, "-"+end))
			continue
		}
		text.WriteString(end)
	}
	return text.String()
}

// TestTogetherAtRandom is TestTogether on entries of all sorts.
func TestTogetherAtRandom(t *testing.T) {
	for seed := range uint64(3000) {
		compareTogether(t, atRandom(rand.New(rand.NewPCG(seed, 5))))
	}
}
