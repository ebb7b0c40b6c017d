package cli

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestReferenceIsCurrent: the pages in docs are what the program prints, and
// its JSON tells of the same entries.
func TestReferenceIsCurrent(t *testing.T) {
	t.Parallel()
	for _, name := range []string{"settings", "checks", "facts"} {
		page, _, code := runTool(t, t.TempDir(), name, "--format", "markdown")
		written, err := os.ReadFile("../docs/" + name + ".md")
		if err != nil || code != 0 {
			t.Fatal(name, code, err)
		}
		if page != string(written) {
			t.Errorf("docs/%s.md is stale; write it with: go run ./cmd/yewcone %s --format markdown >docs/%s.md", name, name, name)
		}
		stdout, _, _ := runTool(t, t.TempDir(), name, "--format", "json")
		var document struct {
			Format  string
			Version int
			Entries []struct {
				Name, Group, Title string
				Fields             map[string]string
			}
		}
		if err := json.Unmarshal([]byte(stdout), &document); err != nil {
			t.Fatal(err)
		}
		if document.Format != "yewcone "+name || document.Version != 1 {
			t.Errorf("%s: format %q, version %d", name, document.Format, document.Version)
		}
		if n := strings.Count(page, "\n### "); n < 40 || n != len(document.Entries) {
			t.Errorf("%s: %d entries as Markdown, %d as JSON", name, n, len(document.Entries))
		}
		for _, e := range document.Entries {
			if e.Name == "" || e.Group == "" || e.Title == "" || len(e.Fields) == 0 {
				t.Errorf("%s: not all is said of %+v", name, e)
			}
		}
	}
}

// TestReferenceOfSome: names choose entries in every form, in their order.
func TestReferenceOfSome(t *testing.T) {
	t.Parallel()
	for _, form := range []string{"text", "json", "markdown"} {
		stdout, _, code := runTool(t, t.TempDir(), "settings", "--format", form, "max_age", "history")
		out := strings.ReplaceAll(stdout, `\_`, "_")
		first, second := strings.Index(out, "max_age"), strings.Index(out, "history")
		if code != 0 || first < 0 || second < first || strings.Contains(out, "min_length") {
			t.Errorf("%s: exit %d\n%s", form, code, stdout)
		}
	}
	_, stderr, code := runTool(t, t.TempDir(), "facts", "lgin")
	if code != 2 || !strings.Contains(stderr, `did you mean "login"?`) {
		t.Errorf("exit %d: %s", code, stderr)
	}
}

// TestGeneratedPagesAreCurrent: what the program writes of itself stands in
// docs, and a manual page for every command says what its help says.
func TestGeneratedPagesAreCurrent(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for name, args := range map[string][]string{"commands.md": {"manual", "--format", "markdown"},
		"exports.md": {"intake", "--how", "all"}} {
		page, stderr, code := runTool(t, folder, args...)
		written, err := os.ReadFile("../docs/" + name)
		if code != 0 || err != nil || page != string(written) {
			t.Errorf("docs/%s is stale (exit %d, %v, %s); write it with: go run ./cmd/yewcone %s >docs/%s", name, code, err,
				stderr, strings.Join(args, " "), name)
		}
	}
	if _, stderr, code := runTool(t, folder, "manual", "man"); code != 0 {
		t.Fatal(stderr)
	}
	commands := regexp.MustCompile(`(?m)^## (\S+)$`).FindAllStringSubmatch(read(t, "../docs/commands.md"), -1)
	if len(commands) < 16 {
		t.Errorf("only %d commands", len(commands))
	}
	for _, c := range commands {
		page := read(t, filepath.Join(folder, "man", "yewcone-"+c[1]+".1"))
		for _, section := range []string{".TH YEWCONE", ".SH NAME", ".SH SYNOPSIS", ".SH DESCRIPTION", ".SH EXAMPLES"} {
			if !strings.Contains(page, section) {
				t.Errorf("the page of %s has no %s", c[1], section)
			}
		}
		_, examples, _ := strings.Cut(page, ".SH EXAMPLES")
		if strings.Count(examples, "\nyewcone "+c[1]) < 2 {
			t.Errorf("the page of %s has fewer than two examples", c[1])
		}
	}
}

func read(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// TestCompletion: each shell gets its script, and the program completes
// commands and options.
func TestCompletion(t *testing.T) {
	t.Parallel()
	for _, shell := range []string{"bash", "zsh", "fish"} {
		script, stderr, code := runTool(t, t.TempDir(), "completion", shell)
		if code != 0 || !strings.Contains(script, "yewcone") || !strings.Contains(script, "--generate-shell-completion") {
			t.Errorf("%s: exit %d\n%s%s", shell, code, script, stderr)
		}
	}
	for _, c := range []struct{ args, want string }{{"--generate-shell-completion", "check"},
		{"check --f --generate-shell-completion", "--fail-on"}, {"try --tr --generate-shell-completion", "--trials"}} {
		if list, stderr, _ := runTool(t, t.TempDir(), strings.Fields(c.args)...); !strings.Contains(list, c.want) {
			t.Errorf("%s: %s%s", c.args, list, stderr)
		}
	}
}
