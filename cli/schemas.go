package cli

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"

	"yewcone/core/rules"
	"yewcone/core/trial"
	"yewcone/intake/estatefolder"
	"yewcone/intake/formats"
	"yewcone/intake/mapping"
)

// schemas describe the files that people write, by the name of the schema's
// own file.
func schemas() map[string]map[string]any {
	var readers []string
	for _, f := range formats.All {
		readers = append(readers, f.Name)
	}
	return map[string]map[string]any{
		"estate": estatefolder.Schema(readers), "rules": rules.Schema(), "exceptions": rules.ExceptionsSchema(),
		"trials": trial.Schema(), "mapping": mapping.Schema(),
	}
}

// schemaFile is the name of a schema's file, and what stands in it.
func schemaFile(name string, schema map[string]any) (file string, data []byte, err error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	err = e.Encode(schema)
	return name + "-1.schema.json", b.Bytes(), err
}

// writeSchemas puts the schemas beside an estate, where the first lines of its
// files name them for editors.
func writeSchemas(folder string) error {
	if err := os.MkdirAll(filepath.Join(folder, "schema"), 0o755); err != nil {
		return err
	}
	for name, schema := range schemas() {
		file, data, err := schemaFile(name, schema)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(folder, "schema", file), data, 0o644); err != nil {
			return err
		}
	}
	return nil
}
