package cli

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
)

// TestSchemas: the schemas in docs are those of the program; every file of the
// demo and of init follows its own, and a wrong word in one does not.
func TestSchemas(t *testing.T) {
	t.Parallel()
	compiled := map[string]*jsonschema.Schema{}
	for name, schema := range schemas() {
		file, data, err := schemaFile(name, schema)
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join("../docs/schema", file)
		if *update {
			if err := os.WriteFile(path, data, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if there, err := os.ReadFile(path); err != nil || !bytes.Equal(there, data) {
			t.Errorf("%s is not what the program says; run go test ./cli -update", path)
		}
		if compiled[name], err = jsonschema.NewCompiler().Compile(path); err != nil {
			t.Fatal(err)
		}
	}
	folder := t.TempDir()
	if _, stderr, code := runTool(t, folder, "init", "."); code != 0 {
		t.Fatal(stderr)
	}
	tried := map[string]int{}
	for _, pattern := range []string{"../demo/estate/estate.yaml", "../demo/estate/exceptions.yaml", "../demo/estate/*/*.yaml",
		filepath.Join(folder, "estate.yaml"), filepath.Join(folder, "*/*.yaml")} {
		paths, err := filepath.Glob(pattern)
		if err != nil || len(paths) == 0 {
			t.Fatalf("%s: nothing there: %v", pattern, err)
		}
		for _, path := range paths {
			name := map[string]string{"estate.yaml": "estate", "exceptions.yaml": "exceptions"}[filepath.Base(path)]
			if name == "" {
				name = map[string]string{"rules": "rules", "mappings": "mapping", "trials": "trials"}[filepath.Base(filepath.Dir(path))]
			}
			if name == "" && filepath.Base(filepath.Dir(path)) == "candidates" {
				continue // settings to try candidates against have no schema
			}
			data, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			first, _, _ := strings.Cut(string(data), "\n")
			if strings.HasPrefix(path, folder) && !strings.HasPrefix(first, "# yaml-language-server: $schema=") {
				t.Errorf("%s does not name its schema in its first line", path)
			}
			if err := follows(t, compiled[name], data); err != nil {
				t.Errorf("%s: %v", path, err)
			}
			if err := follows(t, compiled[name], append(data, "\nnonesuch: 1\n"...)); err == nil {
				t.Errorf("%s: a key that does not exist follows the schema", path)
			}
			tried[name]++
		}
	}
	if len(tried) != len(compiled) {
		t.Errorf("tried: %v", tried)
	}
	for text, name := range map[string]string{"rules: r\nclauses: [{id: a, expect: {min_lenght: at least 8}}]\n": "rules",
		"estate: e\nsystems: {a: {export: {read: ldiff, from: x}}}\n": "estate", "mapping: m\nsettings: [{file: a, layout: row, policy: p}]\n": "mapping"} {
		if follows(t, compiled[name], []byte(text)) == nil {
			t.Errorf("a wrong word follows the schema: %s", text)
		}
	}
}

// follows holds a file of YAML against a schema.
func follows(t *testing.T, schema *jsonschema.Schema, data []byte) error {
	t.Helper()
	var document any
	if err := yaml.Unmarshal(data, &document); err != nil {
		t.Fatal(err)
	}
	plain, err := json.Marshal(document)
	if err != nil {
		t.Fatal(err)
	}
	decoded, err := jsonschema.UnmarshalJSON(bytes.NewReader(plain))
	if err != nil {
		t.Fatal(err)
	}
	return schema.Validate(decoded)
}
