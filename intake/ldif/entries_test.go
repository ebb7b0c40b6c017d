package ldif

import (
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yewcone/intake/text"
)

// writtenEntry is an entry as a test makes it up.
type writtenEntry struct {
	dn    string
	line  int
	attrs []Attribute // all of them, also those that nobody wants
}

// written makes up entries of a few kinds, each with some attributes missing or twice, and
// writes them as LDIF may be: folded, in base64, with remarks, with either end of line; or
// mostly plain, one like the other.
func written(r *rand.Rand, b *strings.Builder) (list []writtenEntry) {
	end, line, plain := []string{"\n", "\r\n"}[r.IntN(2)], 1, []int{1, 1, 40}[r.IntN(3)]
	put := func(name, value string) int {
		at := line
		text := name + ": " + value
		if value == "" || value[0] == ' ' || r.IntN(8*plain) == 0 {
			text = name + ":: " + base64.StdEncoding.EncodeToString([]byte(value))
		}
		for r.IntN(6*plain) == 0 && len(text) > len(name)+6 {
			cut := len(name) + 4 + r.IntN(len(text)-len(name)-4)
			b.WriteString(text[:cut] + end)
			line++
			text = " " + text[cut:]
			if r.IntN(2) == 0 {
				break
			}
		}
		b.WriteString(text + end)
		line++
		return at
	}
	kinds := [][]string{{"objectClass", "uid", "cn", "mail", "entryUUID", "userPassword", "pwdReset"}, {"objectClass", "cn", "member", "modifyTimestamp", "uid"},
		{"cn", "description;lang-en", "OBJECTCLASS", "pwdReset", "x-other"}}
	for i := range 3 + r.IntN(40) {
		if r.IntN(6*plain) == 0 {
			b.WriteString("# a remark" + end)
			line++
		}
		name := []string{"uid=é#,dc=example", "uid=A#,ou=Deck Crew,OU=Fleet,dc=Example", "cn=x\\, # ,ou=Deck", "uid=#,ou= b,dc=c", "uid=#+cn=X,ou=D",
			"cn=x\\,ou=Deck Crew,OU=Fleet,dc=Example", "uid=#,ou=x ", "uid=# ,ou=x", "#"}[r.IntN(9)]
		x := writtenEntry{dn: strings.ReplaceAll(name, "#", fmt.Sprint(i)), line: line}
		put("dn", x.dn)
		names := slices.Clone(kinds[r.IntN(len(kinds))/min(plain, 3)])
		if r.IntN(5*plain) == 0 {
			r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
		}
		for _, name := range names {
			times := []int{1, 1, 1, 0, 2, 3}[r.IntN(6)]
			if plain > 1 && r.IntN(8) > 0 {
				times = 1
			}
			if name == "member" && r.IntN(20) == 0 {
				times = 240 + r.IntN(40) // more than are found by their place
			}
			for range times {
				value := []string{"person", "top", "a value", "ü", "", " blank first", strings.Repeat("long ", 30)}[r.IntN(7)/min(plain, 3)]
				if plain > 1 && name == "objectClass" && r.IntN(20) > 0 {
					value = "person"
				}
				if name == "pwdReset" {
					value = []string{"TRUE", "FALSE", "true"}[r.IntN(3)]
				}
				lower, _, _ := strings.Cut(strings.ToLower(name), ";")
				x.attrs = append(x.attrs, Attribute{lower, value, put(name, value)})
			}
		}
		b.WriteString(end)
		line++
		list = append(list, x)
	}
	return list
}

// TestWrittenEntries: entries come out as they were made up, with the line of each value,
// whatever stands in those before; and so do the answers to what is asked of them.
func TestWrittenEntries(t *testing.T) {
	size := text.PieceSize
	defer func() { text.PieceSize = size }()
	wanted := map[string]bool{"dn": true, "objectclass": true, "uid": true, "cn": true, "member": true, "description": true, "pwdreset": true}
	watch := NewWatch("mail", "cn", "modifytimestamp", "x-other")
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 1))
		var b strings.Builder
		list := written(r, &b)
		text.PieceSize = 100 + r.IntN(3000)
		entries := NewEntries(wanted)
		entries.Watch, entries.Briefly = watch, seed%2 == 0
		pieces := text.NewPieces(strings.NewReader(b.String()), AfterEntry)
		count := 0
		for {
			piece, err := pieces.Next()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			entries.Begin(piece)
			for x, err := entries.Next(); err != io.EOF; x, err = entries.Next() {
				if bad := new(BadEntry); errors.As(err, &bad) {
					t.Fatalf("seed %d, line %d: %v", seed, bad.Line, err)
				}
				compareEntry(t, seed, x, &list[count], wanted, watch)
				count++
			}
		}
		if count != len(list) || !entries.Closed {
			t.Fatalf("seed %d: %d entries of %d, closed %v", seed, count, len(list), entries.Closed)
		}
	}
}

func compareEntry(t *testing.T, seed uint64, x *Entry, want *writtenEntry, wanted map[string]bool, watch Watch) {
	t.Helper()
	var attrs []Attribute
	var seen Seen
	for _, a := range want.attrs {
		if seen |= watch[a.Name]; wanted[a.Name] {
			attrs = append(attrs, a)
		}
	}
	if x.DN != want.dn || x.Line != want.line || x.Seen != seen || !slices.Equal(x.Attrs, attrs) {
		t.Fatalf("seed %d\n got %q at %d, seen %b, %v\nwant %q at %d, seen %b, %v", seed, x.DN, x.Line, x.Seen, x.Attrs, want.dn, want.line, seen, attrs)
	}
	if got, want := x.NormalDN(), NormalDN(x.DN); got != want || x.NormalDN() != want || x.unit() != UnitOf(x.DN) {
		t.Fatalf("seed %d: %q is %q, want %q, in %q", seed, x.DN, got, want, x.unit())
	}
	for name := range wanted {
		at := slices.IndexFunc(attrs, func(a Attribute) bool { return a.Name == name })
		if first, there := x.First(name); there != (at >= 0) || there && first != attrs[at] || x.Has("nothing", name) != there {
			t.Fatalf("seed %d: %s of %q is %v, %v", seed, name, x.DN, first, there)
		}
	}
	for _, class := range []string{"person", "PERSON", "top", "group", "a value"} {
		is := slices.ContainsFunc(attrs, func(a Attribute) bool { return a.Name == "objectclass" && strings.EqualFold(a.Value, class) })
		if x.Is(class) != is {
			t.Fatalf("seed %d: %q is %s: %v", seed, x.DN, class, !is)
		}
	}
}
