package mapping

import (
	"errors"
	"os"
	"path"
	"reflect"
	"slices"
	"strings"
	"time"

	"yewcone/core/facts"
	"yewcone/core/nearword"
	"yewcone/core/setting"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/dateform"
	"yewcone/intake/table"
	"yewcone/intake/table/forms"
	"yewcone/intake/text"
)

// mappingFile is a mapping as people write it.
type mappingFile struct {
	Mapping   strictyaml.Text                                       `yaml:"mapping,required"`
	Encoding  *strictyaml.Text                                      `yaml:"encoding"`
	Delimiter *strictyaml.Text                                      `yaml:"delimiter,blank"`
	Dates     []strictyaml.Text                                     `yaml:"dates"`  // tried in order
	Months    []string                                              `yaml:"months"` // their names, January first
	Zone      *strictyaml.Text                                      `yaml:"zone"`
	Units     []strictyaml.Pair[strictyaml.Text]                    `yaml:"units"` // words of another language for units of time
	Decimal   *strictyaml.Text                                      `yaml:"decimal,blank"`
	Thousands *strictyaml.Text                                      `yaml:"thousands,blank"`
	Presets   []strictyaml.Pair[[]strictyaml.Pair[strictyaml.Text]] `yaml:"presets"` // settings that one word stands for
	Yes       []string                                              `yaml:"yes,empty"`
	No        []string                                              `yaml:"no,empty"`
	Off       []string                                              `yaml:"off,empty"`
	Settings  []settingsTable                                       `yaml:"settings"`
	Accounts  []accountsTable                                       `yaml:"accounts"`
	Signins   []signinsTable                                        `yaml:"signins"`
}

// settingsTable is a table of settings: "pairs" has a key and a value in each
// row and makes one policy; "rows" has a policy in each row; "document" is one
// row, or one JSON object, that makes one policy.
type settingsTable struct {
	Place   strictyaml.Text
	Files   []strictyaml.Text                  `yaml:"file,required"`
	Form    *strictyaml.Text                   `yaml:"form"`
	Rows    *strictyaml.Text                   `yaml:"rows"`
	Sheet   *strictyaml.Text                   `yaml:"sheet"`
	Heading int                                `yaml:"heading"`
	Layout  strictyaml.Text                    `yaml:"layout,required"`
	Key     *strictyaml.Text                   `yaml:"key"`
	Value   *strictyaml.Text                   `yaml:"value"`
	Policy  strictyaml.Text                    `yaml:"policy,required"`
	Default bool                               `yaml:"default"`
	Roles   *strictyaml.Text                   `yaml:"roles"`
	Unit    *strictyaml.Text                   `yaml:"unit"`
	Parent  *parentSource                      `yaml:"parent"`
	Number  *strictyaml.Text                   `yaml:"priority"`
	AsOf    *strictyaml.Text                   `yaml:"as_of"`
	Inherit []string                           `yaml:"inherit,empty"`
	Preset  *strictyaml.Text                   `yaml:"preset"` // the column or key with the word of one of the presets
	Take    []strictyaml.Pair[settingSource]   `yaml:"take"`
	Fixed   []strictyaml.Pair[strictyaml.Text] `yaml:"fixed"`
}

// parentSource is the column with the policy that one inherits from.
type parentSource struct {
	From  strictyaml.Text `yaml:"from,short"`
	Empty string          `yaml:"empty"` // the policy that an empty field stands for; none when left out
}

func (p *parentSource) from() *strictyaml.Text {
	if p == nil {
		return nil
	}
	return &p.From
}

// settingSource says how one setting is read.
type settingSource struct {
	From  strictyaml.Text                    `yaml:"from,short"`
	Unit  *strictyaml.Text                   `yaml:"unit"`
	Zero  *strictyaml.Text                   `yaml:"zero"`
	Empty *strictyaml.Text                   `yaml:"empty"`
	Null  *strictyaml.Text                   `yaml:"null"`
	Gone  *strictyaml.Text                   `yaml:"missing"`
	Yes   []string                           `yaml:"yes,empty"`
	No    []string                           `yaml:"no,empty"`
	Words []strictyaml.Pair[strictyaml.Text] `yaml:"words"`
	Else  *strictyaml.Text                   `yaml:"else"`
	Off   []string                           `yaml:"off,empty"`
	Add   int                                `yaml:"add"`
	Only  *switchSource                      `yaml:"only_if"`
}

// switchSource is a switch without which a value does not count.
type switchSource struct {
	From strictyaml.Text  `yaml:"from,short"`
	File *strictyaml.Text `yaml:"file"` // another table of settings, where the switch stands there
	Yes  []string         `yaml:"yes,empty"`
	No   []string         `yaml:"no,empty"`
	Else *strictyaml.Text `yaml:"otherwise"` // what holds where it is off
	Gone *strictyaml.Text `yaml:"missing"`   // yes, no or unknown, where the switch is not there
}

type accountsTable struct {
	Place   strictyaml.Text
	Form    *strictyaml.Text                   `yaml:"form"`
	Rows    *strictyaml.Text                   `yaml:"rows"`
	Sheet   *strictyaml.Text                   `yaml:"sheet"`
	Heading int                                `yaml:"heading"`
	Files   []strictyaml.Text                  `yaml:"file,required"`
	Take    []strictyaml.Pair[factSource]      `yaml:"take,required"`
	Set     []strictyaml.Pair[settingSource]   `yaml:"set"`
	Fixed   []strictyaml.Pair[strictyaml.Text] `yaml:"fixed"`
	Members []membersTable                     `yaml:"members"`
	Key     *strictyaml.Text                   `yaml:"key"` // the column that orders the rows of a database; that of login when nil
}

// membersTable says who is in which group, where that stands in a table of
// its own: a row for each member, or a row for each group with its members in
// a list.
type membersTable struct {
	Place   strictyaml.Text
	File    []strictyaml.Text `yaml:"file,required"`
	Form    *strictyaml.Text  `yaml:"form"`
	Rows    *strictyaml.Text  `yaml:"rows"`
	Sheet   *strictyaml.Text  `yaml:"sheet"`
	Heading int               `yaml:"heading"`
	Account strictyaml.Text   `yaml:"account,required"` // the column with the members
	Group   strictyaml.Text   `yaml:"group,required"`   // the column with the group's name
	ID      *strictyaml.Text  `yaml:"id"`               // what members that are groups call the group; its name when nil
	Match   *strictyaml.Text  `yaml:"match"`            // the accounts' column that members name; that of login when nil
	As      *strictyaml.Text  `yaml:"as"`               // groups or roles
	Split   string            `yaml:"split,blank"`
}

// factSource says how one fact about accounts is read.
type factSource struct {
	From  strictyaml.Text                    `yaml:"from,short"`
	Cols  []strictyaml.Text                  `yaml:"columns"` // groups and roles: each column is one, with yes or no
	Yes   []string                           `yaml:"yes,empty"`
	No    []string                           `yaml:"no,empty"`
	Else  *strictyaml.Text                   `yaml:"else"`
	Zero  *strictyaml.Text                   `yaml:"zero"` // what the 0 of a count since some day means
	Empty *strictyaml.Text                   `yaml:"empty"`
	Null  *strictyaml.Text                   `yaml:"null"`
	Gone  *strictyaml.Text                   `yaml:"missing"` // what it means where the row lacks it
	Dates []strictyaml.Text                  `yaml:"dates"`
	Only  *switchSource                      `yaml:"only_if"`
	Split string                             `yaml:"split,blank"`
	Words []strictyaml.Pair[strictyaml.Text] `yaml:"words,empty"`
}

// plan is a mapping that was found sound.
type plan struct {
	file      mappingFile
	source    string // as it is written
	encoding  string
	delimiter rune
	dates     *dateform.Form
	numbers   numbers
	presets   map[string][]preset
	zone      *time.Location
	problems  strictyaml.Problems
}

func newPlan() *plan { return &plan{zone: time.UTC} }

func readPlan(r *intake.Request) (*plan, error) {
	data, err := os.ReadFile(r.Path(r.Mapping))
	if err != nil {
		return nil, &strictyaml.Problem{File: r.Mapping, Message: "the mapping cannot be read: " + intake.Reason(err) +
			"; check \"mapping\" of " + r.System + " in estate.yaml"}
	}
	p := newPlan()
	p.source = string(data)
	if err := strictyaml.Decode(r.Mapping, data, &p.file); err != nil {
		return nil, err
	}
	return p, p.check()
}

// check makes what is written once at the top ready, and notes what is wrong.
func (p *plan) check() error {
	var err error
	f := &p.file
	if f.Encoding != nil {
		p.encoding = strings.ToLower(f.Encoding.Value)
		if !slices.Contains(text.Encodings, p.encoding) {
			p.fail(*f.Encoding, "%q is no encoding that is read here; it is one of %s%s", f.Encoding.Value,
				strings.Join(text.Encodings, ", "), nearword.Advice(p.encoding, text.Encodings))
		}
	}
	if f.Delimiter != nil {
		p.delimiter = p.readDelimiter(*f.Delimiter)
	}
	if f.Zone != nil {
		if p.zone, err = readZone(f.Zone.Value); err != nil {
			p.fail(*f.Zone, "%q is no time zone; write UTC, a name such as Europe/London, or +01:00", f.Zone.Value)
			p.zone = time.UTC
		}
	}
	if n := len(f.Months); n != 0 && n != 12 {
		p.fail(f.Mapping, "\"months\" has %d names, not 12", n)
		f.Months = nil
	}
	p.dates = p.dateForm(f.Dates)
	p.readNumbers()
	p.readPresets()
	if len(f.Settings) == 0 && len(f.Accounts) == 0 && len(f.Signins) == 0 {
		p.fail(f.Mapping, "the mapping reads nothing; give it \"settings\", \"accounts\" or \"signins\"")
	}
	return nil
}

// fail notes what is wrong with the mapping, once, however often a file is opened.
func (p *plan) fail(at strictyaml.Text, format string, args ...any) {
	problem := at.At(0, format, args...)
	if !slices.ContainsFunc(p.problems, func(old *strictyaml.Problem) bool { return old.Error() == problem.Error() }) {
		p.problems = append(p.problems, problem)
	}
}

// readZone reads a zone by its name or by its distance from UTC.
func readZone(name string) (*time.Location, error) {
	if at, err := time.Parse("-07:00", name); err == nil {
		_, offset := at.Zone()
		return time.FixedZone(name, offset), nil
	}
	return time.LoadLocation(name)
}

func (p *plan) dateForm(patterns []strictyaml.Text) *dateform.Form {
	var forms []*dateform.Form
	for _, pattern := range patterns {
		form, err := dateform.New(pattern.Value)
		if err != nil {
			p.fail(pattern, "%s", err)
			form = &dateform.Form{}
		}
		forms = append(forms, form)
	}
	form := dateform.Any(forms)
	if len(p.file.Months) > 0 {
		form = form.WithMonths(p.file.Months)
	}
	return form
}

var delimiterNames = map[string]rune{"comma": ',', "semicolon": ';', "tab": '\t', "bar": '|', ",": ',', ";": ';', "|": '|', "\t": '\t'}

func (p *plan) readDelimiter(text strictyaml.Text) rune {
	r, ok := delimiterNames[text.Value]
	if !ok {
		p.fail(text, "%q is no delimiter; write comma, semicolon, tab or bar", text.Value)
	}
	return r
}

// choice checks that a text is one of a few words.
func (p *plan) choice(text strictyaml.Text, words ...string) string {
	if !slices.Contains(words, text.Value) {
		p.fail(text, "expected one of %s, found %q%s", strings.Join(words, ", "), text.Value, nearword.Advice(text.Value, words))
	}
	return text.Value
}

// shape is what a mapping says of the form of a file.
type shape struct {
	form    *strictyaml.Text // one of forms; by the name's ending when nil
	rows    *strictyaml.Text // path of the rows in JSON and XML, object class of the entries in LDIF
	sheet   *strictyaml.Text // of a workbook
	heading int              // the row with the headings
}

// openTable opens a file in the form that the mapping says or its name ends
// in.
func (e *export) openTable(name string, s shape, notes *facts.Notes) (table.Table, error) {
	if err := e.request.Inside(name); err != nil {
		return nil, &intake.Unreadable{File: name, Message: err.Error(), Err: err}
	}
	if s.form == nil && strings.EqualFold(path.Ext(name), ".sql") {
		return e.openQuery(name)
	}
	form := ""
	if s.form != nil {
		form = e.plan.choice(*s.form, forms.Names()...)
	}
	t, err := forms.Of(form, name).Open(&table.Source{Name: name, File: e.request.Path(name), Encoding: e.plan.encoding,
		Delimiter: byte(e.plan.delimiter), Rows: s.rows, Sheet: s.sheet, Heading: s.heading, Notes: notes})
	var unsaid table.Unsaid
	if errors.As(err, &unsaid) {
		e.plan.fail(e.plan.file.Mapping, "%s", unsaid)
		return nil, e.plan.problems.Err()
	}
	return t, err
}

// column finds a column, and notes what is wrong with its name; -1 then.
func (p *plan) column(t table.Table, name strictyaml.Text) int {
	c, err := t.Column(name.Value)
	if err != nil {
		beside := ""
		if none := new(table.NoColumn); errors.As(err, &none) {
			beside = none.Beside(p.source)
		}
		p.fail(name, "%s%s", err, beside)
		return -1
	}
	return c
}

// Schema describes a mapping as JSON Schema does.
func Schema() map[string]any {
	settings, facts := setting.Names(), factNames()
	words := map[string][]string{"settingsTable.layout": {"pairs", "rows", "document"}, "membersTable.as": {"groups", "roles"}}
	for _, table := range []string{"settingsTable", "accountsTable", "membersTable"} {
		words[table+".form"] = forms.Names()
	}
	return strictyaml.Schema("a mapping: how to read files of no known format", reflect.TypeFor[mappingFile](), strictyaml.Hints{
		Words: words,
		Keys: map[string][]string{"settingsTable.take": settings, "settingsTable.fixed": settings, "accountsTable.set": settings,
			"accountsTable.take": facts},
	})
}
