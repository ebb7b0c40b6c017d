// Package strictyaml reads YAML that people write: unknown keys, keys given
// twice and values of the wrong kind are refused, all at once, each with its
// place; every text remembers where it stood, so that what is later found
// wrong in it can be shown there too.
package strictyaml

import (
	"encoding/binary"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf16"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"yewcone/core/nearword"
)

// maxBytes and maxDepth bound what a hostile file can cost.
const (
	maxBytes = 4 << 20
	maxDepth = 40
)

// Text is a scalar together with its place.
type Text struct {
	Value  string
	Line   int // counted from 1; 0 for a text that stands in no file
	Column int // in characters, counted from 1
	quoted bool
	file   *file
}

type file struct {
	name  string
	lines []string
}

// At reports a problem at the character of the text with the given offset.
func (t Text) At(offset int, format string, args ...any) *Problem {
	if t.file == nil {
		return &Problem{Message: fmt.Sprintf(format, args...)}
	}
	if t.quoted {
		offset++
	}
	return t.file.problem(t.Line, t.Column+offset, fmt.Sprintf(format, args...))
}

// Hidden is At for a text that may be a secret: its line is not shown.
func (t Text) Hidden(format string, args ...any) *Problem {
	p := t.At(0, format, args...)
	p.Source = ""
	return p
}

// File returns the name of the file that the text stands in.
func (t Text) File() string {
	if t.file == nil {
		return ""
	}
	return t.file.name
}

func (f *file) problem(line, column int, message string) *Problem {
	p := &Problem{File: f.name, Line: line, Column: column, Message: message}
	if line >= 1 && line <= len(f.lines) {
		p.Source = f.lines[line-1]
	}
	return p
}

// Pair is one entry of a mapping whose keys are free; a slice of pairs keeps
// the order of the file.
type Pair[V any] struct {
	Key   Text
	Value V
}

// narrow is UTF-8 of what a shell of Windows writes as UTF-16, with a byte-order mark;
// all else as it is.
func narrow(data []byte) []byte {
	var order binary.ByteOrder
	switch {
	case len(data)%2 != 0 || len(data) < 2 || len(data) > 2*maxBytes:
		return data
	case data[0] == 0xff && data[1] == 0xfe:
		order = binary.LittleEndian
	case data[0] == 0xfe && data[1] == 0xff:
		order = binary.BigEndian
	default:
		return data
	}
	units := make([]uint16, 0, len(data)/2)
	for i := 2; i < len(data); i += 2 {
		units = append(units, order.Uint16(data[i:]))
	}
	return []byte(string(utf16.Decode(units)))
}

var lineEnds = strings.NewReplacer("\r\n", "\n", "\r", "\n")

// Decode reads one YAML document into the struct that into points to. Keys
// come from the fields' yaml tags; ",required" after the name demands the key,
// ",short" lets a single value stand for the struct with that field alone. A
// value that is empty or blank is refused, but where ",blank" says that blanks mean
// something, or ",empty" that nothing does too; keys may be empty.
// Fields may be Text, string, bool, int, structs, pointers to structs, slices
// of these, and slices of Pair. A single value stands for a list of one. name
// is how errors call the file. The error is Problems.
func Decode(name string, data []byte, into any) error {
	data = narrow(data)
	if len(data) > maxBytes {
		return Problems{{File: name, Message: fmt.Sprintf("the file has %d bytes; a configuration file has at most %d",
			len(data), maxBytes)}}
	}
	if !isText(data) {
		return Problems{{File: name, Message: "the file is no UTF-8 text; save it as UTF-8"}}
	}
	// A carriage return ends a line too (YAML 1.2.2, section 5.4), which the parser counts
	// twice behind a comment.
	whole := lineEnds.Replace(strings.TrimPrefix(string(data), "\ufeff"))
	f := &file{name: name, lines: strings.Split(whole, "\n")}
	if p := f.foreign(reflect.TypeOf(into).Elem()); p != nil {
		return Problems{p}
	}
	if p := f.tooDeep(); p != nil {
		return Problems{p}
	}
	tree, err := parser.ParseBytes([]byte(whole), 0)
	if err != nil {
		return Problems{f.syntax(err)}
	}
	d := &decoder{file: f}
	var body ast.Node
	for i, doc := range tree.Docs {
		if i > 0 && doc.Body != nil {
			d.fail(doc.Body, "a second document begins here; the file must hold one")
		} else if i == 0 {
			body = doc.Body
		}
	}
	if body == nil || body.Type() == ast.NullType {
		return Problems{{File: name, Message: "the file is empty"}}
	}
	d.decode(body, reflect.ValueOf(into).Elem(), "", 0)
	return d.problems.Err()
}

// foreign refuses a file that begins with none of the keys that it may have, and
// shows nothing of it: who names the wrong file may have named one of secrets.
func (f *file) foreign(t reflect.Type) *Problem {
	keys := keysOf(t)
	for i, line := range f.lines {
		line = strings.TrimLeft(line, " \t{[-")
		if line == "" || line[0] == '#' || line[0] == '%' || line == "null" || line == "~" {
			continue
		}
		key, _, is := strings.Cut(line, ":")
		key = strings.Trim(strings.TrimSpace(key), "\"'")
		if _, near := nearword.Of(key, keys); is && (near || slices.Contains(keys, key)) {
			return nil
		}
		return &Problem{File: f.name, Line: i + 1, Column: 1, Message: "this is another kind of file, of which nothing is shown: " +
			"it must begin with one of the keys " + strings.Join(keys, ", ")}
	}
	return nil
}

// keysOf are the keys that a document may begin with.
func keysOf(t reflect.Type) (keys []string) {
	for t.Kind() == reflect.Slice || t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	for i := range t.NumField() {
		if name, _, _ := strings.Cut(t.Field(i).Tag.Get("yaml"), ","); name != "" {
			keys = append(keys, name)
		}
	}
	return keys
}

func isText(data []byte) bool {
	return !slices.Contains(data, 0) && strings.ToValidUTF8(string(data), "") == string(data)
}

// tooDeep refuses nesting that would cost the parser its stack.
func (f *file) tooDeep() *Problem {
	depth := 0
	for i, line := range f.lines {
		if lead := len(line) - len(strings.TrimLeft(line, " ")); lead > 400 || strings.Count(line, "- - - - - - - - - -") > 3 {
			return f.problem(i+1, 1, "the nesting is too deep")
		}
		for j, r := range line {
			switch r {
			case '[', '{':
				depth++
			case ']', '}':
				depth = max(0, depth-1)
			}
			if depth > maxDepth {
				return f.problem(i+1, j+1, "the nesting of brackets is too deep, or one was never closed")
			}
		}
	}
	return nil
}

// inBraces is a value with brackets and a comma in them, within braces and without
// quotes round it.
var inBraces = regexp.MustCompile(`\{[^}'"]*:\s*[^'"\s{}\[][^'"{}]*\([^)]*,`)

func (f *file) syntax(err error) *Problem {
	var at yaml.Error
	if errors.As(err, &at) && at.GetToken() != nil {
		pos := at.GetToken().Position
		message := strings.TrimSuffix(at.GetMessage(), ".") + " (as YAML)"
		if pos.Line >= 1 && pos.Line <= len(f.lines) && inBraces.MatchString(f.lines[pos.Line-1]) {
			message = "within { } a comma ends a value: put single quotes round one that has commas or double quotes in it, " +
				"as in {service: 'under(unit, \"X\")'}"
		}
		return f.problem(pos.Line, pos.Column, message)
	}
	return &Problem{File: f.name, Message: err.Error()}
}

type decoder struct {
	file     *file
	problems Problems
	field    reflect.StructField // in work
}

func (d *decoder) fail(node ast.Node, format string, args ...any) {
	d.failAt(start(node), format, args...)
}

func (d *decoder) failAt(tk *token.Token, format string, args ...any) {
	d.problems = append(d.problems, d.file.problem(tk.Position.Line, tk.Position.Column, fmt.Sprintf(format, args...)))
}

// start is the first token of a node; the parser gives a mapping the token of
// its colon.
func start(node ast.Node) *token.Token {
	switch n := node.(type) {
	case *ast.MappingNode:
		if len(n.Values) > 0 {
			return n.Values[0].Key.GetToken()
		}
	case *ast.MappingValueNode:
		return n.Key.GetToken()
	}
	return node.GetToken()
}

var textType = reflect.TypeFor[Text]()

// decode puts node into v; what names v for people ("", or `"chooses"`).
func (d *decoder) decode(node ast.Node, v reflect.Value, what string, depth int) {
	if depth > maxDepth {
		d.fail(node, "the nesting is too deep")
		return
	}
	switch n := node.(type) {
	case *ast.AnchorNode:
		d.fail(node, "anchors (&) are not used in these files; write the value out")
		return
	case *ast.AliasNode:
		d.fail(node, "aliases (*) are not used in these files; write the value out, or put quotes round a text that begins with *")
		return
	case *ast.TagNode:
		d.fail(node, "tags (!) are not used in these files; put quotes round a text that begins with !")
		return
	case *ast.MappingValueNode: // a mapping of one entry
		node = ast.Mapping(n.GetToken(), false, n)
	}
	switch {
	case v.Type() == textType:
		if text, ok := d.value(node, what); ok {
			v.Set(reflect.ValueOf(text))
		}
	case v.Kind() == reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		d.decode(node, v.Elem(), what, depth)
	case v.Kind() == reflect.Slice && isPair(v.Type().Elem()):
		d.pairs(node, v, what, depth)
	case v.Kind() == reflect.Slice:
		d.slice(node, v, what, depth)
	case v.Kind() == reflect.Struct:
		d.structure(node, v, what, depth)
	default:
		d.plain(node, v, what)
	}
}

func isPair(t reflect.Type) bool {
	return t.Kind() == reflect.Struct && t.NumField() == 2 && t.Field(0).Name == "Key" && t.Field(0).Type == textType
}

func (d *decoder) scalar(node ast.Node, what string) (Text, bool) {
	tk := node.GetToken()
	text := Text{Line: tk.Position.Line, Column: tk.Position.Column, file: d.file}
	switch n := node.(type) {
	case *ast.StringNode:
		text.Value = n.Value
		text.quoted = tk.Type == token.DoubleQuoteType || tk.Type == token.SingleQuoteType
	case *ast.LiteralNode: // | and >
		text.Value = strings.TrimSpace(n.Value.Value)
		text.Line, text.Column = text.Line+1, 1
	case *ast.NullNode:
		d.fail(node, "%s has no value", d.name(what))
		return text, false
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		text.Value = tk.Value
	default:
		d.fail(node, "%s must be a text, found %s", d.name(what), kindOf(node))
		return text, false
	}
	return text, true
}

// takes reports whether a text may stand in a field: few mean something by an empty
// one.
func takes(f reflect.StructField, text string) bool {
	return strings.TrimSpace(text) != "" || option(f, "empty") || text != "" && option(f, "blank")
}

// value is a scalar that is no key.
func (d *decoder) value(node ast.Node, what string) (Text, bool) {
	text, ok := d.scalar(node, what)
	if ok && !takes(d.field, text.Value) {
		advice := "write a text, or leave it out"
		if option(d.field, "required") {
			advice = "write a text"
		}
		d.fail(node, "%s is empty; %s", d.name(what), advice)
		return text, false
	}
	return text, ok
}

func (d *decoder) name(what string) string {
	if what == "" {
		return "this"
	}
	return strconv.Quote(what)
}

func kindOf(node ast.Node) string {
	switch node.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		return "a list of keys"
	case *ast.SequenceNode:
		return "a list"
	case *ast.NullNode:
		return "nothing"
	}
	return "a single value"
}

func (d *decoder) plain(node ast.Node, v reflect.Value, what string) {
	text, ok := d.value(node, what)
	if !ok {
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(text.Value)
	case reflect.Bool:
		switch text.Value {
		case "yes", "true":
			v.SetBool(true)
		case "no", "false":
		default:
			d.fail(node, "%s must be yes or no, found %q", d.name(what), text.Value)
		}
	case reflect.Int, reflect.Int64:
		n, err := strconv.ParseInt(text.Value, 10, 64)
		if err != nil {
			d.fail(node, "%s must be a whole number, found %q", d.name(what), text.Value)
		}
		v.SetInt(n)
	default:
		panic("strictyaml: no rule for " + v.Type().String())
	}
}

func (d *decoder) slice(node ast.Node, v reflect.Value, what string, depth int) {
	list, ok := node.(*ast.SequenceNode)
	if !ok {
		if node.Type() == ast.NullType {
			d.fail(node, "%s has no value", d.name(what))
			return
		}
		one := reflect.New(v.Type().Elem()).Elem()
		d.decode(node, one, what, depth+1)
		v.Set(reflect.Append(v, one))
		return
	}
	out := reflect.MakeSlice(v.Type(), len(list.Values), len(list.Values))
	for i, item := range list.Values {
		d.decode(item, out.Index(i), what, depth+1)
	}
	v.Set(out)
}

func (d *decoder) entries(node ast.Node, what string) ([]*ast.MappingValueNode, bool) {
	m, ok := node.(*ast.MappingNode)
	if !ok {
		d.fail(node, "%s must hold keys and values, found %s", d.name(what), kindOf(node))
		return nil, false
	}
	return m.Values, true
}

func (d *decoder) key(entry *ast.MappingValueNode, seen map[string]bool) (Text, bool) {
	if _, merge := entry.Key.(*ast.MergeKeyNode); merge {
		d.fail(entry.Key, "merge keys (<<) are not used in these files; write the keys out")
		return Text{}, false
	}
	var key Text
	ok := true
	if tk := entry.Key.GetToken(); tk.Type == token.NullType && tk.Value != "" { // the word null is a key like any other
		key = Text{Value: tk.Value, Line: tk.Position.Line, Column: tk.Position.Column, file: d.file}
	} else {
		key, ok = d.scalar(entry.Key, "a key")
	}
	if ok && seen[key.Value] {
		d.fail(entry.Key, "the key %q stands here a second time", key.Value)
		ok = false
	}
	seen[key.Value] = true
	return key, ok
}

func (d *decoder) pairs(node ast.Node, v reflect.Value, what string, depth int) {
	entries, ok := d.entries(node, what)
	if !ok {
		return
	}
	out := reflect.MakeSlice(v.Type(), 0, len(entries))
	seen := map[string]bool{}
	for _, entry := range entries {
		key, ok := d.key(entry, seen)
		if !ok {
			continue
		}
		pair := reflect.New(v.Type().Elem()).Elem()
		pair.Field(0).Set(reflect.ValueOf(key))
		d.decode(entry.Value, pair.Field(1), key.Value, depth+1)
		out = reflect.Append(out, pair)
	}
	v.Set(out)
}

func (d *decoder) structure(node ast.Node, v reflect.Value, what string, depth int) {
	outer := d.field
	defer func() { d.field = outer }()
	if i := shortField(v.Type()); i >= 0 && isScalar(node) {
		d.field = v.Type().Field(i)
		d.decode(node, v.Field(i), what, depth+1)
		return
	}
	entries, ok := d.entries(node, what)
	if !ok {
		return
	}
	fields, names, required := fieldsOf(v.Type())
	seen := map[string]bool{}
	for _, entry := range entries {
		key, ok := d.key(entry, seen)
		if !ok {
			continue
		}
		index, known := fields[key.Value]
		if !known {
			advice := nearword.Advice(key.Value, names)
			if advice == "" {
				advice = "; expected one of " + strings.Join(names, ", ")
			}
			d.fail(entry.Key, "unknown key %q%s", key.Value, advice)
			continue
		}
		d.field = v.Type().Field(index)
		d.decode(entry.Value, v.Field(index), key.Value, depth+1)
	}
	for _, name := range required {
		if !seen[name] {
			d.fail(node, "the key %q is missing here", name)
		}
	}
	if place := v.FieldByName("Place"); place.IsValid() && place.Type() == textType {
		tk := start(node)
		place.Set(reflect.ValueOf(Text{Line: tk.Position.Line, Column: tk.Position.Column, file: d.file}))
	}
}

// shortField is the index of the field that a single value stands for; -1 without one.
func shortField(t reflect.Type) int {
	for i := range t.NumField() {
		if option(t.Field(i), "short") {
			return i
		}
	}
	return -1
}

// option reports whether the yaml tag of a field has the option.
func option(f reflect.StructField, name string) bool {
	return slices.Contains(strings.Split(f.Tag.Get("yaml"), ",")[1:], name)
}

func isScalar(node ast.Node) bool {
	switch node.(type) {
	case *ast.StringNode, *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.LiteralNode:
		return true
	}
	return false
}

// fieldsOf reads the yaml tags; embedded structs are not used here.
func fieldsOf(t reflect.Type) (index map[string]int, names, required []string) {
	index = map[string]int{}
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("yaml"), ",")
		if name == "" || name == "-" {
			continue
		}
		index[name] = i
		names = append(names, name)
		if option(t.Field(i), "required") {
			required = append(required, name)
		}
	}
	return index, names, required
}

// Date reads a date or an instant: 2026-11-20, 2026-11-20 06:00, or RFC 3339.
// Without a zone it is UTC.
func (t Text) Date() (time.Time, error) {
	at, err := ParseDate(t.Value)
	if err != nil {
		return at, t.At(0, "%s", err)
	}
	return at, nil
}

// ParseDate reads a date as Text.Date does.
func ParseDate(text string) (time.Time, error) {
	for _, layout := range []string{time.DateOnly, "2006-01-02 15:04", "2006-01-02 15:04:05", "2006-01-02T15:04",
		"2006-01-02T15:04:05", time.RFC3339} {
		if at, err := time.ParseInLocation(layout, text, time.UTC); err == nil {
			return at.UTC(), nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is no date; write 2026-11-20, 2026-11-20 06:00 or 2026-11-20T06:00:00Z", text)
}
