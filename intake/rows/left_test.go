package rows

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
)

// TestLeft: what a folder holds beside the tables that were read; a table that is
// wanted, in whatever form it lies there, is told with how to take it.
func TestLeft(t *testing.T) {
	wanted := []Table{{"settings", []string{"name", "setting"}}, {"members", []string{"role", "member"}}}
	for _, c := range []struct {
		name, text, says string
		partial          bool
	}{
		{"settings.txt", "   name    | setting \n-----------+---------\n port      | 5432\n", "a table in columns", true},
		{"settings.txt", "-[ RECORD 1 ]\nname    | port\nsetting | 5432\n", "one field on a line", true},
		{"settings.txt", "+------+---------+\n| name | setting |\n+------+---------+\n", "lines drawn round it", true},
		{"settings.out", "name;setting\nport;5432\n", "semicolons", true},
		{"pg_settings.csv", "name,setting,unit\nport,5432,\n", "commas between them, under another name", true},
		{"dump.txt", "*************************** 1. row ***************************\nname: port\nsetting: 5432\n", "one field on a line", true},
		{"settings.sql", "SELECT 1;\n", "in a form that is not read", true},
		{"notes.txt", "the name of the setting\n", "nothing here reads notes.txt", false},
		{"weather.txt", "+---+\n| a |\n+---+\n", "nothing here reads weather.txt", false},
	} {
		folder := t.TempDir()
		for name, text := range map[string]string{c.name: c.text, "members.csv": "role,member\n"} {
			if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		var notes facts.Notes
		Left(&intake.Request{Folder: folder}, ".", &notes, "take it so", wanted, []string{"members.csv"}, nil)
		told := ""
		for _, n := range notes.List() {
			told += n.Message
		}
		if notes.Partial() != c.partial || !strings.Contains(told, c.says) || c.partial && !strings.Contains(told, "take it so") {
			t.Errorf("%s, %q: partial %v: %s", c.name, c.text, notes.Partial(), told)
		}
	}
}

// TestOtherDelimiter: a table that is where it should be, in another form.
func TestOtherDelimiter(t *testing.T) {
	for text, says := range map[string]string{"name;setting\nport;5432\n": "semicolons", " name | setting \n------+---------\n port | 5432\n": "bars",
		"+------+\n| name |\n": "lines drawn round it", "nome,valore\n": "has no column \"name\""} {
		folder := t.TempDir()
		if err := os.WriteFile(filepath.Join(folder, "settings.csv"), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		var notes facts.Notes
		if err := Read(&intake.Request{Folder: folder}, "settings.csv", &notes, func(*Row) error { return nil }, "name", "setting"); err != nil {
			t.Fatal(err)
		}
		if list := notes.List(); !notes.Partial() || !strings.Contains(list[0].Message, says) {
			t.Errorf("%q: %v", text, list)
		}
	}
}
