package mapping

import (
	"fmt"
	"os"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/core/strictyaml"
	"yewcone/intake"
	"yewcone/intake/intaketest"
	"yewcone/intake/table/forms"
)

var fenced = regexp.MustCompile("(?s)```(\\w+)( \\S+)?\n(.*?)```")

// TestRecipes: each recipe of the cookbook reads as the page says.
func TestRecipes(t *testing.T) {
	page, err := os.ReadFile("../../docs/mappings.md")
	if err != nil {
		t.Fatal(err)
	}
	recipes, files := 0, map[string]string{}
	for _, block := range fenced.FindAllStringSubmatch(string(page), -1) {
		kind, name, text := block[1], strings.TrimSpace(block[2]), block[3]
		switch {
		case kind == "yaml":
			files = map[string]string{"m.yaml": "mapping: m\n" + text}
			continue
		case name != "":
			files[name] = text
			continue
		}
		recipes++
		want := map[string]string{}
		for line := range strings.Lines(text) {
			key, value, ok := strings.Cut(strings.TrimSpace(line), " =")
			if !ok {
				t.Errorf("no statement: %q", line)
			}
			want[key] = strings.TrimSpace(value)
		}
		format := Format
		format.Open = func(r *intake.Request) (facts.Export, error) {
			r.Mapping = "m.yaml"
			return open(r)
		}
		intaketest.Hold(t, fmt.Sprintf("recipe %d", recipes), intaketest.Derive(t, format, []string{"."}, files), want)
	}
	if recipes < 14 {
		t.Errorf("%d recipes were found", recipes)
	}
}

// TestLanguage: the page of the language names every key, form and fact.
func TestLanguage(t *testing.T) {
	data, err := os.ReadFile("../../docs/mapping-language.md")
	if err != nil {
		t.Fatal(err)
	}
	page := string(data)
	var keys func(reflect.Type, map[reflect.Type]bool)
	names := append(factNames(), forms.Names()...)
	keys = func(of reflect.Type, seen map[reflect.Type]bool) {
		for of.Kind() == reflect.Pointer || of.Kind() == reflect.Slice {
			of = of.Elem()
		}
		if of.Kind() != reflect.Struct || seen[of] || of == reflect.TypeFor[strictyaml.Text]() {
			return
		}
		seen[of] = true
		for i := range of.NumField() {
			f := of.Field(i)
			if key, _, _ := strings.Cut(f.Tag.Get("yaml"), ","); key != "" {
				names = append(names, key)
			}
			keys(f.Type, seen)
		}
	}
	keys(reflect.TypeFor[mappingFile](), map[reflect.Type]bool{})
	for _, name := range names {
		if !regexp.MustCompile(`\b` + name + `\b`).MatchString(page) {
			t.Errorf("docs/mapping-language.md does not name %q", name)
		}
	}
}
