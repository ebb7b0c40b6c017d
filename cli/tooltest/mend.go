package tooltest

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// Change is a change as "remedy --format json" writes it.
type Change struct {
	System string   `json:"system"`
	Ends   []string `json:"ends"`
	Steps  []struct {
		Setting, From, To, Policy string
		Findings                  []string
	}
	Blocks    []Block
	ByAccount []ByAccount `json:"by_account"`
	Cannot    []struct{ Setting, Policy string }
	First     []string
}

type Block struct {
	Where, Language string
	Lines           []string
	Edits           []Edit
}

// ByAccount is what is typed to do something to accounts one by one.
type ByAccount struct {
	Act, Language     string
	Accounts, Written int
	Lines             []string
}

type Edit struct {
	File          string
	Line          int
	Place         string
	Before, After string
}

func (c *Change) cannot(policy, setting string) bool {
	return slices.ContainsFunc(c.Cannot, func(o struct{ Setting, Policy string }) bool { return o.Setting == setting && o.Policy == policy })
}

// Told runs remedy for a system, and keeps the changes that set values.
func Told(t *testing.T, folder, system string, options ...string) []Change {
	t.Helper()
	return slices.DeleteFunc(toldAll(t, folder, system, options...), func(c Change) bool { return len(c.Steps) == 0 || c.Steps[0].Setting == "" })
}

func toldAll(t *testing.T, folder, system string, options ...string) []Change {
	t.Helper()
	var d struct{ Changes []Change }
	decode(t, Command(folder, append([]string{"remedy", system, "--accounts", "0", "--format", "json"}, options...)...), 0, &d)
	return d.Changes
}

// MendAccounts carries out what is typed for accounts one by one, and where
// there is a way back that too: what it ends is gone, and comes back. Lines that
// ask for a password at a prompt are left out.
func MendAccounts(t *testing.T, folder, system string, apply func(language string, lines []string)) {
	t.Helper()
	done := map[string]bool{}
	for {
		c, act := undone(toldAll(t, folder, system), done)
		if c == nil {
			break
		}
		done[c.Ends[0]+act] = true
		back := same(toldAll(t, folder, system, "--undo"), c)
		language, lines := c.typed(act)
		apply(language, lines)
		after := FoundIn(t, folder, system)
		for _, f := range c.Ends {
			switch still := after[f]; {
			case strings.Contains(still, "passwords stored") && act == askNew: // gone when they have set it
				if n := asked(t, folder, system); n == 0 {
					t.Errorf("%s: %q: nobody is to change the password", system, lines)
				}
			case still != "":
				t.Errorf("%s: %q: after it, %s", system, lines, still)
			}
		}
		t.Logf("%s: %s: %q", system, act, lines)
		if language, lines = back.typed(act); len(lines) > 0 {
			apply(language, lines)
			again := FoundIn(t, folder, system)
			for _, f := range c.Ends {
				if again[f] == "" {
					t.Errorf("%s: %q is the way back, and it stays so", system, lines)
				}
			}
		}
	}
	if len(done) == 0 {
		t.Error("nothing was to be done to accounts")
	}
}

const askNew = "ask for a new password at the next sign-in"

// undone is the first change, with an act, that is written for all of its
// accounts and was not done yet.
func undone(list []Change, done map[string]bool) (*Change, string) {
	for i := range list {
		c := &list[i]
		for _, b := range c.ByAccount {
			whole := !slices.ContainsFunc(c.ByAccount, func(o ByAccount) bool { return o.Act == b.Act && o.Written < o.Accounts })
			if len(c.Ends) > 0 && whole && b.Act != "set a new password" && !done[c.Ends[0]+b.Act] {
				return c, b.Act
			}
		}
	}
	return nil, ""
}

// same finds a change among others.
func same(list []Change, c *Change) *Change {
	for i := range list {
		if slices.Equal(list[i].Ends, c.Ends) {
			return &list[i]
		}
	}
	return nil
}

// typed is what is typed to do something to the accounts of a change.
func (c *Change) typed(act string) (language string, lines []string) {
	if c == nil {
		return "", nil
	}
	for _, b := range c.ByAccount {
		if b.Act == act {
			if lines != nil && b.Language == "ldif" {
				lines = append(lines, "")
			}
			language, lines = b.Language, append(lines, b.Lines...)
		}
	}
	return language, lines
}

// decode reads what a command prints as JSON, which ends with a status of most
// at most.
func decode(t *testing.T, c *exec.Cmd, most int, to any) {
	t.Helper()
	var stderr strings.Builder
	c.Stderr = &stderr
	out, err := c.Output()
	if code := c.ProcessState.ExitCode(); code < 0 || code > most {
		t.Fatalf("%v: %v\n%s%s", c.Args[1:], err, stderr.String(), out[:min(len(out), 2000)])
	}
	if err := json.Unmarshal(out, to); err != nil {
		t.Fatal(err)
	}
}

// asked counts the accounts that have to change their password, or whose
// password was ended by hand.
func asked(t *testing.T, folder, system string) int {
	t.Helper()
	out, err := Command(folder, "intake", system, "--format", "json").Output()
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for line := range strings.Lines(string(out)) {
		if strings.Contains(line, `"must_change":true`) || strings.Contains(line, `"password_expires":"1970`) {
			n++
		}
	}
	return n
}

// FoundIn are the findings of a system by their fingerprints.
func FoundIn(t *testing.T, folder, system string) map[string]string {
	t.Helper()
	var d struct {
		Findings []struct{ Fingerprint, Sentence, Rule string }
	}
	decode(t, Command(folder, "check", system, "--format", "json"), 1, &d)
	found := map[string]string{}
	for _, f := range d.Findings {
		found[f.Fingerprint] = f.Rule + ": " + f.Sentence
	}
	return found
}

// Mend carries a system's remedy out and back: what it ends is gone then,
// nothing else is gone or new, and after the way back all is as it was.
func Mend(t *testing.T, folder, system string, apply func([]Block)) {
	t.Helper()
	before, changes, back := FoundIn(t, folder, system), Told(t, folder, system), Told(t, folder, system, "--undo")
	if len(changes) != 1 || len(changes[0].Blocks) == 0 {
		t.Fatalf("%d changes of values, or nothing to type: %+v", len(changes), changes)
	}
	c := &changes[0]
	said := map[string]bool{} // findings of which every step can be said
	for _, f := range c.Ends {
		said[f] = true
	}
	for _, s := range c.Steps {
		for _, f := range s.Findings {
			if c.cannot(s.Policy, s.Setting) {
				delete(said, f)
			}
		}
	}
	if len(said) == 0 {
		t.Error("nothing that is found can be ended")
	}
	apply(c.Blocks)
	after := FoundIn(t, folder, system)
	for f, sentence := range before {
		_, still := after[f]
		if said[f] && still {
			t.Errorf("%s is not gone: %s", f, after[f])
		}
		touched := slices.ContainsFunc(c.Steps, func(s struct {
			Setting, From, To, Policy string
			Findings                  []string
		}) bool {
			return slices.Contains(s.Findings, f)
		})
		if !said[f] && !still && !touched && !followsFrom(c, sentence) {
			t.Errorf("%s is gone, and was not to go: %s", f, sentence)
		}
	}
	for f, sentence := range after {
		ahead := strings.HasPrefix(sentence, "check/step-ahead") // told once what is asked today is met
		if before[f] == "" && !ahead && !followsFrom(c, sentence) {
			t.Errorf("new: %s", sentence)
		}
	}
	t.Logf("%s: %d of %d findings ended, %d steps, %d of which there is no word for", system, len(before)-len(after), len(before), len(c.Steps), len(c.Cannot))
	apply(back[0].Blocks)
	again := FoundIn(t, folder, system)
	for f, sentence := range before {
		if again[f] != sentence && !followsFrom(c, sentence) {
			t.Errorf("after the way back %s is %q, was %q", f, again[f], sentence)
		}
	}
	for f, sentence := range again {
		if before[f] == "" && !followsFrom(c, sentence) {
			t.Errorf("after the way back there is more: %s", sentence)
		}
	}
}

// followsFrom reports whether a finding about accounts comes or goes with what was
// set: an age makes passwords overdue and stands against marks, and where no
// empty password is taken none lets in.
func followsFrom(c *Change, finding string) bool {
	rule, sentence, _ := strings.Cut(finding, ": ")
	if slices.ContainsFunc(c.First, func(said string) bool { return strings.Contains(said, sentence) }) {
		return true // it was said beforehand
	}
	if rule == "check/older-than-policy" { // the policy was changed, after all
		return true
	}
	for _, s := range c.Steps {
		switch {
		case s.Setting == "max_age" && slices.Contains([]string{"check/flag-and-policy", "check/overdue", "check/expiry-for-nobody"}, rule),
			s.Setting == "blank_allowed" && rule == "check/blank", s.Setting == "lockout_attempts" && rule == "check/account-only",
			s.Setting == "min_length" && rule == "check/storage-undeserved":
			return true
		}
	}
	return false
}

// LiveRules ask for more than servers come with; what a server cannot do, its
// remedy has to say.
const LiveRules = `rules: live
clauses:
  - {id: length, expect: {min_length: at least 14}}
  - {id: kinds, expect: {min_digits: at least 2}}
  - {id: history, expect: {history: at least 9, min_age: at least 2 days}}
  - {id: age, expect: {max_age: at most 90 days, warn_before: at least 5 days}}
  - {id: lockout, expect: {lockout_attempts: at most 5, lockout_window: at least 20 minutes, lockout_duration: at least 20 minutes}}
  - {id: words, expect: {dictionary_barred: yes}}
  - {id: log, expect: {successes_logged: yes, idle_timeout: at most 30 minutes}}
  - {id: delay, expect: {failure_delay: at least 2 seconds}}
`

// MendLive carries a remedy out on a running server, and back: retake takes the
// export anew into a folder.
func MendLive(t *testing.T, entry string, retake func(folder string), apply func(language, lines string)) {
	t.Helper()
	folder := t.TempDir()
	for name, text := range map[string]string{"rules/live.yaml": LiveRules,
		"estate.yaml": "estate: Live\nas_of: 2026-11-23\nsystems:\n  live:\n    rules: live\n    " + entry + "\n"} {
		if err := os.MkdirAll(filepath.Join(folder, filepath.Dir(name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	take := func() {
		if err := os.MkdirAll(filepath.Join(folder, "x"), 0o755); err != nil {
			t.Fatal(err)
		}
		retake(filepath.Join(folder, "x"))
	}
	take()
	Mend(t, folder, "live", func(blocks []Block) {
		for _, b := range blocks {
			apply(b.Language, strings.Join(b.Lines, "\n")+"\n")
		}
		take()
	})
	MendAccounts(t, folder, "live", func(language string, lines []string) {
		apply(language, strings.Join(lines, "\n")+"\n")
		take()
	})
}
