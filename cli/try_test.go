package cli

import (
	"compress/gzip"
	"crypto/sha1"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"yewcone/demo"
)

// demoFolder writes the demo estate.
func demoFolder(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	if err := demo.WriteEstate(folder); err != nil {
		t.Fatal(err)
	}
	return folder
}

// writeIn writes a file below a folder.
func writeIn(t *testing.T, folder, name, text string) {
	t.Helper()
	path := filepath.Join(folder, name)
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
}

// TestMintedAreAccepted: what is minted for systems, in every way, every one of
// them accepts.
func TestMintedAreAccepted(t *testing.T) {
	t.Parallel()
	folder := demoFolder(t)
	for _, args := range [][]string{
		{"rota"}, {"rota", "directory", "quay1"}, {"rota", "--phrase"}, {"quay1", "--aloud"}, {"mailboxes"},
		{"tills", "--policy", "Counter"}, {"tills", "--policy", "Purser", "--aloud"}, {"rota", "--as", "siobhan.keane"},
		{"rota", "--length", "28"}, {"directory", "--bits", "200"}, {"directory", "quay1", "--phrase", "--length", "4"},
	} {
		stdout, stderr, code := runTool(t, folder, append([]string{"mint", "--number", "15"}, args...)...)
		if code != 0 || !strings.Contains(stderr, "each as likely as any other") {
			t.Errorf("mint %v: exit %d\n%s", args, code, stderr)
			continue
		}
		aloud := slices.Contains(args, "--aloud")
		var made []string
		for line := range strings.Lines(stdout) {
			if !strings.HasPrefix(line, "  ") {
				made = append(made, strings.TrimRight(line, "\n"))
			} else if !aloud || len(strings.Fields(line)) < 8 {
				t.Errorf("mint %v: %q", args, line)
			}
		}
		if unlike := slices.Compact(slices.Sorted(slices.Values(made))); len(unlike) != 15 && args[0] != "mailboxes" {
			t.Errorf("mint %v made %d unlike passwords of %d", args, len(unlike), len(made))
		}
		try := []string{"try", "--format", "json"}
		for i := 0; i < len(args); i++ {
			switch args[i] {
			case "--as", "--policy":
				try = append(try, args[i], args[i+1])
				i++
			case "--length", "--bits":
				i++
			case "--phrase", "--aloud":
			default:
				try = append(try, args[i])
			}
		}
		result, stderr, code := runWith(t, folder, strings.Join(made, "\n")+"\n", try...)
		if code != 0 {
			t.Errorf("mint %v: what it made is refused: exit %d %s\n%s", args, code, stderr, result)
		}
	}
}

// TestNoCandidateLeaks greps all that the commands print, errors too, for the
// candidates that went in.
func TestNoCandidateLeaks(t *testing.T) {
	t.Parallel()
	secrets := []string{"Quixotry7Gable", "zyzzyva-ledge!", "überFjordKelp9", "p'unct\"uated: {x}", "- dashes [first", "7719305521"}
	folder := demoFolder(t)
	writeIn(t, folder, "list.txt", strings.Join(secrets, "\n")+"\n")
	trialOf := func(body string) string { return "trials: Kept back\nsystems: [rota]\n" + body }
	var quoted string
	for _, s := range secrets {
		quoted += "  - '" + strings.ReplaceAll(s, "'", "''") + "'\n"
	}
	trials := map[string]string{
		"good":            trialOf("refused:\n" + quoted + "accepted:\n" + quoted),
		"unknown key":     trialOf("refuzed:\n" + quoted),
		"no list":         trialOf("refused: {" + secrets[0] + ": " + secrets[5] + "}\n"),
		"bare":            trialOf("refused:\n  - " + secrets[3] + "\n  - " + secrets[4] + "\n"),
		"not closed":      trialOf("refused:\n  - '" + secrets[0] + "\n  - \"" + secrets[1] + "\n"),
		"key":             trialOf("refused:\n  - " + secrets[0] + ": " + secrets[1] + "\n"),
		"twice":           trialOf("refused: [" + secrets[0] + "]\nrefused: [" + secrets[5] + "]\n"),
		"bad reason":      trialOf("refused:\n  - {password: " + secrets[0] + ", because: min_lenght}\n"),
		"reason for good": trialOf("accepted:\n  - {password: " + secrets[0] + ", because: min_length}\n"),
		"anchor":          trialOf("refused:\n  - &" + secrets[0] + " x\n  - *" + secrets[1] + "\n"),
		"tabs":            trialOf("refused:\n\t- " + secrets[0] + "\n"),
		"nobody":          trialOf("as: nobody.known\nrefused:\n" + quoted),
	}
	look := func(what, out string, code int) {
		for _, s := range secrets {
			for _, form := range []string{s, strings.ToLower(s), strings.Trim(fmt.Sprintf("%q", s), `"`), s[2 : len(s)-2]} {
				if strings.Contains(out, form) {
					t.Errorf("%s: a candidate is shown:\n%s", what, out)
				}
			}
		}
		if out == "" {
			t.Errorf("%s says nothing (exit %d)", what, code)
		}
	}
	for _, args := range [][]string{
		{"try"}, {"try", "--format", "json"}, {"try", "rota", "--as", "siobhan.keane"}, {"try", "--old", "quay1"},
		{"try", "--file", "list.txt", "tills"}, {"try", "nosuch"}, {"try", "--color", "always"},
	} {
		stdout, stderr, code := runWith(t, folder, strings.Join(secrets, "\n")+"\n", args...)
		look(strings.Join(args, " "), stdout+stderr, code)
	}
	stdout, stderr, code := runWith(t, folder, secrets[0]+"\xff\n", "try")
	if look("no UTF-8", stdout+stderr, code); code != 2 || !strings.Contains(stderr, "line 1 is no UTF-8 text") {
		t.Errorf("exit %d, %s", code, stderr)
	}
	for name, text := range trials {
		writeIn(t, folder, "trials/secret.yaml", text)
		for _, args := range [][]string{{"try", "--trials"}, {"try", "--trials", "--format", "json"}, {"derive", "rota"},
			{"derive", "rota", "--format", "json"}} {
			stdout, stderr, code := runTool(t, folder, args...)
			look(name+": "+strings.Join(args, " "), stdout+stderr, code)
			if bad := name != "good"; bad && (code != 2 || !strings.Contains(stderr, "secret.yaml")) {
				t.Errorf("%s, %v: exit %d\n%s", name, args, code, stderr)
			}
		}
	}
}

// results runs try with JSON and returns, for one target, the outcome of each
// candidate with the settings that refuse it or leave it open.
func results(t *testing.T, folder, stdin string, args ...string) []string {
	t.Helper()
	stdout, stderr, code := runWith(t, folder, stdin, append([]string{"try", "--format", "json"}, args...)...)
	if code > 1 {
		t.Fatalf("exit %d\n%s", code, stderr)
	}
	var doc struct {
		Candidates []struct {
			Results []struct {
				Outcome       string
				Refused, Open []struct{ Setting string }
			}
		}
	}
	if err := json.Unmarshal([]byte(stdout), &doc); err != nil {
		t.Fatal(err)
	}
	var list []string
	for _, c := range doc.Candidates {
		text := c.Results[0].Outcome
		for _, r := range append(c.Results[0].Refused, c.Results[0].Open...) {
			text += " " + r.Setting
		}
		list = append(list, text)
	}
	return list
}

// TestLists: candidates are looked up in lists of every form, and a system's
// own list decides also by what is not on it.
func TestLists(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	writeIn(t, folder, "m.yaml", "mapping: m\nyes: yes\nno: no\nsettings:\n  - file: s.csv\n    layout: pairs\n    key: k\n "+
		"   value: v\n    policy: p\n    default: yes\n    take: {min_length: least, common_barred: common, "+
		"dictionary_barred: words, breached_barred: breached}\n    fixed: {max_length: none, min_classes: none, "+
		"min_letters: none, min_lower: none, min_upper: none, min_digits: none, min_symbols: none, digit_inside: no, "+
		"symbol_inside: no, max_repeat: none, max_run: none, min_distinct: none, alphabet: any, login_barred: \"off\", "+
		"login_reversed_barred: no, names_barred: no, description_barred: no, strength_floor: none, substitutions_seen: "+
		"yes}\naccounts:\n  - file: a.csv\n    take: {login: user}\n")
	writeIn(t, folder, "s.csv", "k,v\nleast,4\ncommon,yes\nwords,yes\nbreached,yes\n")
	writeIn(t, folder, "a.csv", "user\nx\n")
	hash := func(word string) string { return fmt.Sprintf("%X:3", sha1.Sum([]byte(word))) }
	hashes := []string{hash("Tide-1999"), hash("Kelp-2000"), hash("other")}
	slices.Sort(hashes)
	writeIn(t, folder, "hashes.txt", strings.Join(hashes, "\n")+"\n")
	writeIn(t, folder, "common.txt", "zulu\nAnchor99\nfoghorn\n")
	writeIn(t, folder, "sorted.txt", "anchor99\nfoghorn\nzulu\n")
	writeIn(t, folder, "mixed.txt", strings.Repeat("zulu\nanchor\nfoghorn\n", 100))
	writeIn(t, folder, "words.txt", "harbour\nlighthouse\n")
	packed, err := os.Create(filepath.Join(folder, "common.txt.gz"))
	if err != nil {
		t.Fatal(err)
	}
	w := gzip.NewWriter(packed)
	fmt.Fprint(w, "anchor99\nfoghorn\n")
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	packed.Close()
	estate := func(lists string) {
		writeIn(t, folder, "estate.yaml", "estate: e\nsystems:\n  s:\n    export: {read: mapping, from: ., mapping: m.yaml}\n"+lists)
	}
	const candidates = "Anchor99\nf0gh0rn\n7Harbour!!\nTide-1999\ntide-1999\nkestrel-umbra\n"
	for _, c := range []struct {
		lists string
		want  []string
	}{
		{"    lists: {common: common.txt, dictionary: words.txt, breached: {file: hashes.txt, form: sha-1, sorted: yes}}\n",
			[]string{"refused common_barred", "refused common_barred", "refused dictionary_barred",
				"refused breached_barred", "accepted", "accepted"}},
		{"    lists: {common: {file: sorted.txt, sorted: yes}, dictionary: words.txt, breached: {file: hashes.txt, form: sha-1}}\n",
			[]string{"refused common_barred", "refused common_barred", "refused dictionary_barred",
				"refused breached_barred", "accepted", "accepted"}},
		// The estate's lists are not the system's: what is not on them is open.
		{"lists: {common: common.txt.gz, dictionary: words.txt, breached: {file: hashes.txt, form: sha-1}}\n",
			[]string{"refused common_barred dictionary_barred breached_barred",
				"refused common_barred dictionary_barred breached_barred",
				"refused dictionary_barred common_barred breached_barred",
				"refused breached_barred common_barred dictionary_barred",
				"open common_barred dictionary_barred breached_barred",
				"open common_barred dictionary_barred breached_barred"}},
		// Without any, the list that comes with the tool stands for the system's.
		{"", []string{"open common_barred dictionary_barred breached_barred",
			"open common_barred dictionary_barred breached_barred", "open common_barred dictionary_barred breached_barred",
			"open common_barred dictionary_barred breached_barred", "open common_barred dictionary_barred breached_barred",
			"open common_barred dictionary_barred breached_barred"}},
	} {
		estate(c.lists)
		if got := results(t, folder, candidates); !slices.Equal(got, c.want) {
			t.Errorf("%s\n%q, expected\n%q", c.lists, got, c.want)
		}
	}
	for lists, want := range map[string]string{
		"lists: {common: nowhere.txt}\n": "estate.yaml:5:17: the list " +
			"nowhere.txt cannot be opened",
		"lists: {common: {file: common.txt, form: sha-256}}\n": "common.txt: line 1: no sha-256 in " +
			"hexadecimal begins here",
		"lists: {common: {file: common.txt, form: md-5}}\n":                         `"md-5" is no form of a list`,
		"lists: {common: {file: mixed.txt, sorted: yes}}\n":                         "not in the order of their bytes",
		"lists: {common: {file: common.txt.gz, sorted: yes}}\n":                     "is packed, and cannot be searched as a sorted list",
		"lists: {common: common.txt, dictionnary: words.txt}\n":                     `did you mean "dictionary"`,
		"    lists: {breached: {file: hashes.txt, form: sha-1, sorted: perhaps}}\n": "sorted",
	} {
		estate(lists)
		stdout, stderr, code := runWith(t, folder, "Anchor99\n", "try")
		if code != 2 || !strings.Contains(stderr, want) || stdout != "" {
			t.Errorf("%s: exit %d\n%s%s, expected %q", lists, code, stdout, stderr, want)
		}
	}
}

// TestTrialStatus: the status says whether all came out as wanted, and whether
// that rests on what could not be judged.
func TestTrialStatus(t *testing.T) {
	t.Parallel()
	folder := demoFolder(t)
	for _, name := range []string{"trials/rota.yaml", "trials/mailboxes.yaml"} {
		if err := os.Remove(filepath.Join(folder, name)); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		body, args string
		code       int
		says       string
	}{
		{"systems: [directory]\nrefused: [short]\naccepted: [kelp-over-granite]\n", "", 0, "2 as wanted."},
		{"systems: [rota]\naccepted: [Kelp-over-47]\n", "", 3, "1 accepted as far as can be told"},
		{"systems: [rota]\naccepted: [Kelp-over-47]\n", "--bear-open", 0, "1 accepted as far as can be told"},
		{"systems: [rota]\nrefused: [Kelp-over-47]\n", "", 1, "should be refused, and nothing refuses it"},
		{"systems: [rota]\nrefused: [{password: kelp, because: [min_length, min_digits]}]\n", "", 0, "1 as wanted."},
		{"systems: [rota]\nrefused: [{password: kelp, because: max_length}]\n", "", 1, "and not of max_length as it should be"},
		{"systems: [rota]\nas: siobhan.keane\nrefused: [{password: Siobhan.Keane-47x, because: login_barred}]\n", "", 0, "1 as wanted."},
		{"systems: [rota]\npolicy: Fleet administrator\nrefused: [{password: Kelp-over-47, because: min_length}]\n", "", 0, "1 as wanted."},
		{"systems: [rota]\nrefused: [pavel.hruska1]\n", "", 0, "candidate 1 holds the sign-in name of pavel.hruska on rota"},
		{"systems: [nosuch]\nrefused: [x]\n", "", 2, "no system is named"},
		{"systems: [tills]\nrefused: [x]\n", "rota", 2, "no trial file tries rota"},
		{"refused: []\n", "", 2, "no candidates"},
		{"refused: [{because: min_length}]\n", "", 2, "t.yaml:2:12"},
	} {
		writeIn(t, folder, "trials/t.yaml", "trials: t\n"+c.body)
		stdout, stderr, code := runTool(t, folder, append([]string{"try", "--trials"}, strings.Fields(c.args)...)...)
		flat := strings.Join(strings.Fields(stdout+stderr), " ")
		if code != c.code || !strings.Contains(flat, c.says) {
			t.Errorf("%s %s: exit %d, expected %d and %q\n%s%s", c.body, c.args, code, c.code, c.says, stdout, stderr)
		}
	}
}

// TestCandidatesComeAsTheyAre: blanks count, line ends do not, and the present
// password is what others are compared with.
func TestCandidatesComeAsTheyAre(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	writeIn(t, folder, "p.yaml", "settings: p\nvalues: {min_length: 10, history: 5, min_changed: 3}\n")
	for stdin, want := range map[string][]string{
		"ninechars\n":            {"refused min_length"},
		"nine chars\r\n":         {"accepted"},
		" ninechars\n\n":         {"accepted"},
		"\ufeffninechars":        {"refused min_length"},
		"ninechar\u0301x\n":      {"refused min_length"}, // one character with its accent
		"kelp-beds-1\nninechars": {"accepted", "refused min_length"},
	} {
		if got := results(t, folder, stdin, "--settings", "p.yaml"); !slices.Equal(got, want) {
			t.Errorf("%q: %q, expected %q", stdin, got, want)
		}
	}
	if got := results(t, folder, "kelp-beds-1\nkelp-beds-1\nkelp-beds-2\nkelp-beds-234\n", "--settings", "p.yaml",
		"--old"); !slices.Equal(got, []string{"refused min_changed history", "refused min_changed", "accepted"}) {
		t.Errorf("%q", got)
	}
	for stdin, want := range map[string]string{"": "has no candidates", strings.Repeat("x\n", 10001): "more than 10000 candidates"} {
		if _, stderr, code := runWith(t, folder, stdin, "try", "--settings", "p.yaml"); code != 2 || !strings.Contains(stderr, want) {
			t.Errorf("exit %d\n%s", code, stderr)
		}
	}
}

// TestCandidatesFollowTheirSchema: what the commands print as JSON.
func TestCandidatesFollowTheirSchema(t *testing.T) {
	t.Parallel()
	schema, err := jsonschema.NewCompiler().Compile("../docs/schema/candidates-1.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	folder := demoFolder(t)
	writeIn(t, folder, "trials/odd.yaml", "trials: odd\nsystems: [mailboxes]\nas: \"4021\"\nrefused: ['7294', "+
		"pavel.hruska1]\naccepted: ['7293']\n")
	for _, args := range [][]string{{"try", "rota", "quay1"}, {"try", "rota", "quay1", "--as", "siobhan.keane"},
		{"try", "--trials", "rota"}, {"derive", "rota"}, {"space"}} {
		stdout, stderr, code := runWith(t, folder, "Kelp over granite\nsummer2026\n", append(args, "--format", "json")...)
		document, err := jsonschema.UnmarshalJSON(strings.NewReader(stdout))
		if err != nil || code > 1 {
			t.Fatalf("%v: exit %d, %v\n%s", args, code, err, stderr)
		}
		if err := schema.Validate(document); err != nil {
			t.Errorf("%v: %v", args, err)
		}
		document.(map[string]any)["secret"] = "x"
		if schema.Validate(document) == nil {
			t.Errorf("%v: the schema takes anything", args)
		}
	}
}
