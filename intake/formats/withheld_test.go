package formats

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"yewcone/core/audit"
	"yewcone/core/drift"
	"yewcone/core/finding"
	"yewcone/core/gap"
	"yewcone/core/record"
	"yewcone/core/rules"
	"yewcone/core/setting"
	"yewcone/intake"
)

// A withholding is a way to leave something out of an export.
type withholding struct {
	name string // what is left out
	data []byte // what is left of the file; nil where the file is
}

var (
	ldifName = regexp.MustCompile(`(?m)^([A-Za-z][A-Za-z0-9-]*)::? `)
	textKey  = regexp.MustCompile(`(?m)^([A-Z][A-Za-z ]{3,40}): `)
	xmlField = regexp.MustCompile(`<field name="(\w+)"`)
)

// withhold calls back with each way to leave an attribute, a column, a key, a
// kind of line or the file out, everywhere and from one entry alone.
func withhold(name string, data []byte, try func(withholding)) {
	try(withholding{name: "file"})
	switch filepath.Ext(name) {
	case ".ldif":
		withholdLDIF(data, try)
	case ".csv", ".tsv":
		comma := map[string]byte{".csv": ',', ".tsv": '\t'}[filepath.Ext(name)]
		lines := bytes.SplitAfter(data, []byte("\n"))
		for c, heading := range bytes.Split(bytes.TrimSpace(lines[0]), []byte{comma}) {
			var rest []byte
			for _, l := range lines {
				rest = append(rest, withoutColumn(l, comma, c)...)
			}
			try(withholding{string(heading), rest})
		}
	case ".json", ".jsonl", ".ndjson":
		withholdJSON(data, try)
	case ".xml":
		for _, field := range unique(xmlField.FindAllSubmatch(data, -1)) {
			one := regexp.MustCompile(`\s*<field name="` + field + `"(?s:[^>]*?/>|.*?</field>)`)
			try(withholding{field, one.ReplaceAll(data, nil)})
		}
	case ".txt":
		for _, key := range unique(textKey.FindAllSubmatch(data, -1)) {
			one := regexp.MustCompile(`(?m)^` + regexp.QuoteMeta(key) + `: .*\n`)
			try(withholding{key, one.ReplaceAll(data, nil)})
		}
	}
}

func unique(found [][][]byte) []string {
	var names []string
	for _, m := range found {
		if !slices.Contains(names, string(m[1])) {
			names = append(names, string(m[1]))
		}
	}
	return names
}

func withholdLDIF(data []byte, try func(withholding)) {
	entries := bytes.SplitAfter(data, []byte("\n\n"))
	for _, name := range unique(ldifName.FindAllSubmatch(data, -1)) {
		if name == "dn" {
			continue
		}
		one := regexp.MustCompile(`(?m)^` + regexp.QuoteMeta(name) + `::? .*\n( .*\n)*`)
		try(withholding{name, one.ReplaceAll(data, nil)})
		alone := 0
		for i, e := range entries {
			if !one.Match(e) {
				continue
			}
			if alone++; alone%7 != 1 { // not each of thousands
				continue
			}
			rest := slices.Clone(entries)
			rest[i] = one.ReplaceAll(e, nil)
			try(withholding{name + " of one", bytes.Join(rest, nil)})
		}
	}
}

func withholdJSON(data []byte, try func(withholding)) {
	var documents []any
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	for d.More() {
		var one any
		if d.Decode(&one) != nil {
			return
		}
		documents = append(documents, one)
	}
	names := map[string]bool{}
	var gather func(node any)
	gather = func(node any) {
		switch n := node.(type) {
		case map[string]any:
			for name, value := range n {
				names[name] = true
				gather(value)
			}
		case []any:
			for _, value := range n {
				gather(value)
			}
		}
	}
	var without func(node any, name string) any
	without = func(node any, name string) any {
		switch n := node.(type) {
		case map[string]any:
			rest := map[string]any{}
			for key, value := range n {
				if key != name {
					rest[key] = without(value, name)
				}
			}
			return rest
		case []any:
			rest := make([]any, len(n))
			for i := range n {
				rest[i] = without(n[i], name)
			}
			return rest
		}
		return node
	}
	gather(documents)
	for name := range names {
		var b bytes.Buffer
		for _, one := range documents {
			line, _ := json.Marshal(without(one, name))
			b.Write(append(line, '\n'))
		}
		try(withholding{name, b.Bytes()})
	}
}

// statements are all that a check says of an export beside its accounts: how
// each rule comes out, the weakest value of each setting, guess budgets; and
// the result itself, to compare others with.
type statements struct {
	states  map[string]string
	profile *gap.Profile
	result  *finding.Result
}

func stated(t *testing.T, folder string, c *capturedExport, sets []*rules.Set) *statements {
	t.Helper()
	f, _ := Find(c.format)
	export, err := f.Open(&intake.Request{System: "x", Folder: folder, From: c.from, Mapping: c.mappingFile(),
		AsOf: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC)})
	if err != nil {
		return nil
	}
	r, err := audit.Run("x", []audit.Subject{{Export: export, Rules: sets}}, audit.Options{Examples: 1, Relations: &audit.Relations{}})
	if err != nil {
		return nil
	}
	s := &statements{states: map[string]string{}, profile: r.Gaps.Profiles[0], result: r}
	for _, o := range r.Systems[0].Outcomes {
		s.states[o.Rule.String()] = o.State
		if o.Unsure && o.State == finding.Broken {
			s.states[o.Rule.String()] = finding.Broken
		}
	}
	return s
}

// kept is the record of it, with which another is compared.
func (s *statements) kept() *record.Record {
	rec, err := record.Of(s.result, nil, audit.Options{}, "")
	if err != nil {
		panic(err)
	}
	return rec
}

// better lists what is stated better than before, and what is called gone.
func (s *statements) better(before *statements) (list []string) {
	d, err := drift.Between(before.kept(), s.kept(), nil)
	if err != nil {
		panic(err) // these have no accounts that could not be read
	}
	for _, f := range d.In(drift.Fixed) {
		list = append(list, "it is fixed that "+f.Before.Sentence)
	}
	for _, f := range d.In(drift.Better) {
		list = append(list, "it is better: "+strings.Join(f.Notes(), "; ")+": "+f.After.Sentence)
	}
	if s.result.Partial() {
		return list // it says so itself
	}
	for rule, now := range s.states {
		if was := before.states[rule]; now == finding.Met && (was == finding.Broken || was == finding.Open) {
			list = append(list, rule+" was "+was+" and is met")
		}
	}
	for id := range setting.Len {
		was, now := before.profile.Weakest(gap.People, id), s.profile.Weakest(gap.People, id)
		if now.Unknown > 0 || now.None || was.None {
			continue
		}
		if order, ok := setting.At(id).Compare(now.Value, was.Value); ok && order > 0 || now.Value.Known() && !was.Value.Known() {
			list = append(list, fmt.Sprintf("%s was %s and is %s", id, setting.At(id).Text(was.Value), setting.At(id).Text(now.Value)))
		}
	}
	was, now := before.profile.Guesses(gap.People), s.profile.Guesses(gap.People)
	if was != nil && now != nil && now.Known && now.LifeKnown && (!was.Known || !was.LifeKnown || now.OverLife() < was.OverLife()) {
		list = append(list, fmt.Sprintf("guesses over a life were %v and are %v", was.OverLife(), now.OverLife()))
	}
	return list
}

// TestWithheld leaves attributes, columns, keys, kinds of lines and files out of
// every captured export, everywhere and from one entry alone. No statement about
// an account, no rule, no cell and no figure may come out better for it, or as
// something else that is known, but where the lack is listed as meaning
// something.
func TestWithheld(t *testing.T) {
	var sets []*rules.Set
	for _, name := range []string{"house", "privileged"} {
		data, err := os.ReadFile("../../demo/estate/rules/" + name + ".yaml")
		if err != nil {
			t.Fatal(err)
		}
		set, err := rules.Read(name, data)
		if err != nil {
			t.Fatal(err)
		}
		sets = append(sets, set)
	}
	total := 0
	for _, c := range captured {
		t.Run(c.name(), func(t *testing.T) {
			folder, cases := c.copyTo(t), 0
			whole, before := readEverything(t, folder, &c), stated(t, folder, &c, sets)
			c.eachFile(t, folder, func(name, path string) {
				data, err := os.ReadFile(path)
				if err != nil {
					t.Fatal(err)
				}
				withhold(name, data, func(w withholding) {
					if cases++; testing.Short() && cases%10 != 1 {
						return
					}
					write(t, path, w.data)
					if w.data == nil {
						_ = os.Remove(path)
					}
					what := name + ": " + w.name
					if slices.ContainsFunc(Absences, func(a Absence) bool { return a.Format == c.format && a.Where.MatchString(what) }) {
						return
					}
					after := readEverything(t, folder, &c)
					changed, gone := changes(whole, after)
					if after != nil && after.noted != whole.noted {
						gone = 0
						changed = slices.DeleteFunc(changed, standsIn.MatchString)
					}
					if now := stated(t, folder, &c, sets); now != nil && before != nil && after != nil && after.refused == whole.refused {
						changed = append(changed, now.better(before)...)
					}
					if len(changed) > 0 {
						t.Errorf("without %s: %s (%d in all)", what, changed[0], len(changed))
					}
					if gone > 0 {
						t.Errorf("without %s: %d accounts are gone, and nothing is said", what, gone)
					}
				})
				write(t, path, data)
			})
			t.Logf("%d cases", cases)
			total += cases
		})
	}
	fmt.Printf("withheld: %d cases over %d captured exports\n", total, len(captured))
}

// TestAbsencesAreDocumented: what may be missing without being unknown stands
// in docs/verdicts.md, word for word.
func TestAbsencesAreDocumented(t *testing.T) {
	page, err := os.ReadFile("../../docs/verdicts.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range Absences {
		if row := fmt.Sprintf("| %s | %s | %s |", a.Format, a.What, a.Proof); !strings.Contains(string(page), row) {
			t.Errorf("docs/verdicts.md lacks: %s", row)
		}
	}
}
