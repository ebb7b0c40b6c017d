package cli

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// planted are marked secrets, by where they were put.
type planted struct{ places []string }

var mark = regexp.MustCompile(`Zq(\d{5})Geheim`)

func (p *planted) at(format string, args ...any) string {
	p.places = append(p.places, fmt.Sprintf(format, args...))
	return fmt.Sprintf("Zq%05dGeheim", len(p.places)-1)
}

// inTable puts one secret into each column, each in a row of its own.
func (p *planted) inTable(name, text string, comma rune) string {
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = comma, -1, comma == '\t'
	rows, err := r.ReadAll()
	if err != nil || len(rows) == 0 {
		return text
	}
	head := 0 // below lines that say what follows
	for n := range min(len(rows), 5) {
		if strings.Join(rows[n], "") != "" && len(rows[n]) > 1 && !slices.Contains(rows[n], "") {
			head = n
			break
		}
	}
	for c := range rows[head] {
		if row := head + c + 1; row < len(rows) && c < len(rows[row]) {
			rows[row][c] = p.at("%s: %s", name, rows[head][c])
		}
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.Comma = comma
	_ = w.WriteAll(rows)
	return out.String()
}

var (
	attribute = regexp.MustCompile(`(?m)^([A-Za-z][\w;-]*):{1,2} .*(\n .*)*`)
	element   = regexp.MustCompile(`<([\pL_]+)([^>]*)>([^<]+)</([\pL_]+)>`)
	member    = regexp.MustCompile(`"([^"]+)":\s*("(?:[^"\\]|\\.)*"|-?[\d.]+|true|false|null)`)
	word      = regexp.MustCompile(`[^\s:=,"']+`)
)

// inText puts one secret in the place of the value of each attribute, element or
// member, and into lines of other files one word each.
func (p *planted) inText(name, text string) string {
	seen := map[string]bool{}
	once := func(key, whole, replaced string) string {
		if seen[key] || key == "dn" || key == "objectClass" {
			return whole
		}
		seen[key] = true
		return replaced + p.at("%s: %s", name, key)
	}
	switch filepath.Ext(name) {
	case ".ldif":
		return attribute.ReplaceAllStringFunc(text, func(s string) string {
			key, _, _ := strings.Cut(s, ":")
			return once(key, s, key+": ")
		})
	case ".xml":
		return element.ReplaceAllStringFunc(text, func(s string) string {
			m := element.FindStringSubmatch(s)
			if out := once(m[1]+m[2], s, "<"+m[1]+m[2]+">"); out != s {
				return out + "</" + m[4] + ">"
			}
			return s
		})
	case ".json":
		return member.ReplaceAllStringFunc(text, func(s string) string {
			key := member.FindStringSubmatch(s)[1]
			if out := once(key, s, "\""+key+"\": \""); out != s {
				return out + "\""
			}
			return s
		})
	}
	lines := strings.Split(text, "\n")
	n := 0
	for i, line := range lines {
		words := word.FindAllStringIndex(line, -1)
		if i == 0 || len(words) == 0 || strings.HasPrefix(strings.TrimSpace(line), "#") {
			continue
		}
		at := words[n%len(words)]
		lines[i] = line[:at[0]] + p.at("%s: word %d of line %d", name, n%len(words)+1, i+1) + line[at[1]:]
		n++
	}
	return strings.Join(lines, "\n")
}

// mayBeTold is what may be told, since it names something or says a setting: names of
// accounts, policies, roles and hosts, values in tables of settings, and words of
// files of hosts that hold no secrets.
var mayBeTold = regexp.MustCompile(`(?i): (` + strings.Join([]string{
	`Sign-in name|Source|Full name|E-mail|Role|Organisation|Setting|Value|Profile|Like|Code name|Name|Staff no|Mail|Box|Holder|Class`,
	`Host|User|auth_method|role|member|rolname|error|Variable_name|Admin_option`,
	`cn|uid|givenName|sn|mail|displayName|ou|pwd\w+|userName|value|display|number|group|master`,
	`nombre.*|correo.*|perfil.*|nivel.*|vigencia.*|intentos.*|duración.*|m[íi]nimo.*`,
	`\w*At|min|max|distinct\w*|sequential\w*|sameAs\w*|maxAge\w*|window|limit|lockMinutes`,
	`minLength|maxLength|require\w+|minAge\w+|history|secondFactor`,
	`.*(Shortest|Longest|Capitals|Small letters|Digits|remembered|Keep for|lasts|refused|before lock).*`,
	`Benutzer.*|Vollst.*|Rolle.*|Einstellung|Wert`,
}, "|") + `)$|(etc/(passwd|group|gshadow|pam\.d/.*|security/.*|sudoers.*|login\.defs|ssh/.*|default/.*|nsswitch.conf)|[a-z-]+\.txt): word`)

// everythingWritten runs all commands on an estate, in all forms, and returns what
// each wrote to anywhere.
func everythingWritten(t *testing.T, folder string) map[string]string {
	t.Helper()
	out := map[string]string{}
	run := func(args ...string) {
		stdout, stderr, code := runTool(t, folder, args...)
		if strings.Contains(stderr, "goroutine ") {
			t.Errorf("%v: exit %d: %s", args, code, stderr)
		}
		out[strings.Join(args, " ")] = stdout + stderr
	}
	for _, format := range []string{"json", "html", "markdown", "csv", "ndjson", "sarif", "junit", "oscal"} {
		run("check", "--format", format, "--examples", "3000")
	}
	run("check", "--all", "--each", "each.ndjson")
	run("check", "--format", "xlsx", "--out", "book.xlsx")
	for _, command := range []string{"intake", "gaps", "changes", "remedy", "due"} {
		run(command)
	}
	for _, command := range []string{"gaps", "changes", "remedy", "due"} {
		run(command, "--format", "json")
	}
	run("report", "--format", "html", "--out", "report.html")
	run("replay", "rota", "--all")
	run("impact", "--set", "rota/service.min_length=16")
	for _, format := range []string{"text", "json", "html", "csv"} {
		run("rules", "asked", "--format", format)
	}
	run("rules", "asked", "--format", "xlsx", "--out", "asked.xlsx")
	run("rules", "page")
	run("rules", "draft", "--from", "nist-800-63b-4", "--for", "rota")
	run("try", "--trials")
	run("derive", "rota")
	err := fs.WalkDir(os.DirFS(folder), ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.Contains(name, "/") {
			return err
		}
		data, err := os.ReadFile(filepath.Join(folder, name))
		if err == nil && slices.Contains([]string{".xlsx", ".ndjson", ".html"}, filepath.Ext(name)) {
			out[name] = string(data)
		}
		if filepath.Ext(name) == ".xlsx" {
			out[name] = unpackedParts(t, data)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func unpackedParts(t *testing.T, data []byte) (all string) {
	t.Helper()
	book, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range book.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		part, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		all += string(part)
	}
	return all
}

// TestNoSecretShown: what stands where a secret may stand is in nothing that any
// command writes, in any form.
func TestNoSecretShown(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("it looks for words, not for races")
	}
	folder := demoFolder(t)
	p := &planted{}
	err := fs.WalkDir(os.DirFS(folder), "exports", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasSuffix(name, ".xlsx") {
			return err
		}
		path := filepath.Join(folder, name)
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		text := string(data)
		switch first, _, _ := strings.Cut(text, "\n"); {
		case strings.HasSuffix(name, ".tsv"):
			text = p.inTable(name, text, '\t')
		case strings.HasSuffix(name, ".csv") && strings.Count(first, ";") > strings.Count(first, ","):
			text = p.inTable(name, text, ';')
		case strings.HasSuffix(name, ".csv"):
			text = p.inTable(name, text, ',')
		default:
			text = p.inText(name, text)
		}
		return os.WriteFile(path, []byte(text), 0o600)
	})
	if err != nil {
		t.Fatal(err)
	}
	told := map[string]bool{}
	for command, text := range everythingWritten(t, folder) {
		for _, m := range mark.FindAllStringSubmatch(text, -1) {
			number := 0
			_, _ = fmt.Sscanf(m[1], "%d", &number)
			place := p.places[number]
			if !mayBeTold.MatchString(place) && !told[place+command] {
				told[place+command] = true
				at := strings.Index(text, m[0])
				t.Errorf("%s: %s: …%.160q", command, place, text[max(0, at-80):])
			}
		}
	}
	if len(p.places) < 600 {
		t.Errorf("only %d secrets were planted", len(p.places))
	}
}

// TestWrongFileNotShown: a file of secrets that is given in the place of another
// is refused, read past or told, and nothing of it is shown.
func TestWrongFileNotShown(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("it looks for words, not for races")
	}
	folder := demoFolder(t)
	secrets := map[string]string{
		"list":   "Geheim-Quark-77!\nzweites: Geheim-Quark-78\n- \"Geheim-Quark-79\n{Geheim-Quark-80\n",
		"one":    "Geheim-Quark-77!\n",
		"colon":  "Geheim-Quark: 77!\nZweit-Quark: [\n",
		"shadow": "root:$6$Quark$Geheim:20000:0:99999:7:::\n$6$Quark$Geheim:x:20000:0:99999:7:::\n",
		"table":  "anna,Geheim-Quark\nberit,Geheim-Kwark\n",
		"xml":    "<a>Geheim-Quark</b>\n&Quark;\n",
		"json":   "{\"Geheim-Quark\": \"Quark\n",
	}
	leaks := regexp.MustCompile(`(?i)geheim|quark|kwark`)
	check := func(what string, args ...string) {
		stdout, stderr, _ := runTool(t, folder, args...)
		if at := leaks.FindStringIndex(stdout + stderr); at != nil {
			t.Errorf("%s: %v: …%.200q", what, args, (stdout + stderr)[max(0, at[0]-100):])
		}
	}
	places := []string{"estate.yaml", "rules/house.yaml", "exceptions.yaml", "mappings/rota.yaml", "trials/rota.yaml",
		"signins/quay1-auth.log.gz"}
	err := fs.WalkDir(os.DirFS(folder), "exports", func(name string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			places = append(places, name)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for kind, text := range secrets {
		if err := os.WriteFile(filepath.Join(folder, "wrong.txt"), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		for _, args := range [][]string{{"try", "rota", "--settings", "wrong.txt"}, {"impact", "--from", "wrong.txt"}, {"report", "--since", "wrong.txt"},
			{"drift", "wrong.txt"}, {"derive", "rota", "--examples", "wrong.txt"}, {"intake", "--draft", "wrong.txt"}, {"rules", "wrong.txt"},
			{"check", "--estate", "wrong.txt"}} {
			check(kind, args...)
		}
		for _, name := range places {
			if strings.HasPrefix(name, "exports") && !slices.Contains([]string{"one", "table", "shadow"}, kind) {
				continue
			}
			system, args := "", []string{"check", "--all"}
			if parts := strings.Split(name, "/"); parts[0] == "exports" {
				system = parts[1]
			}
			switch {
			case system != "":
				args = append(args, system)
			case strings.HasPrefix(name, "trials"):
				args = []string{"try", "--trials"}
			case strings.HasPrefix(name, "signins"):
				args = append(args, "quay1")
			case strings.HasPrefix(name, "mappings"):
				args = append(args, "rota")
			}
			path := filepath.Join(folder, name)
			data, err := os.ReadFile(path)
			if err == nil {
				err = os.WriteFile(path, []byte(text), 0o600)
			}
			if err != nil {
				t.Fatal(err)
			}
			check(kind+" as "+name, args...)
			if err := os.WriteFile(path, data, 0o600); err != nil {
				t.Fatal(err)
			}
		}
	}
}
