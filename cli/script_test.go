package cli

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/cli/tooltest"
	"yewcone/demo"
	"yewcone/intake/text"
)

var update = flag.Bool("update", false, "write what the program prints into the scripts")

func TestMain(m *testing.M) {
	text.Spoil = true // whoever keeps what was given back shows it
	tooltest.Main(m, Main)
}

// TestScripts runs testdata/script/*.txtar: archives in the txtar form whose
// names are steps, with the test binary as the program:
//
//	-- file NAME --       the lines below are written to NAME
//	-- demo --            the demo estate is written here
//	-- replace NAME --    each line below, "old ==> new", changes NAME
//	-- cut NAME N --      all but the first N bytes of NAME are dropped
//	-- remove NAME --     the file is removed
//	-- show NAME --       the lines below are what the file holds
//	-- run ARGS --        the program is run; the lines below are what it
//	                      prints, those on standard error after "! ", and at
//	                      the end "(exit N)" unless N is 0
//
// What stands before the first step tells what the script shows.
func TestScripts(t *testing.T) {
	t.Parallel()
	scripts, err := filepath.Glob("testdata/script/*.txtar")
	if err != nil || len(scripts) == 0 {
		t.Fatalf("no scripts: %v", err)
	}
	for _, path := range scripts {
		t.Run(strings.TrimSuffix(filepath.Base(path), ".txtar"), func(t *testing.T) {
			t.Parallel()
			data, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			s := &script{t: t, folder: t.TempDir()}
			got := s.play(string(data))
			if *update {
				if err := os.WriteFile(path, []byte(got), 0o644); err != nil {
					t.Fatal(err)
				}
			}
		})
	}
}

type script struct {
	t      *testing.T
	folder string
}

// play runs all steps and returns the script with what was printed.
func (s *script) play(text string) string {
	parts := strings.Split("\n"+text, "\n-- ")
	var out strings.Builder
	out.WriteString(strings.TrimPrefix(parts[0], "\n"))
	for _, part := range parts[1:] {
		head, body, ok := strings.Cut(part, " --\n")
		if !ok || strings.Contains(head, "\n") {
			s.t.Fatalf("a step that does not end in \" --\": %q", head)
		}
		verb, rest, _ := strings.Cut(head, " ")
		body = strings.TrimRight(body, "\n")
		switch verb {
		case "file":
			s.write(rest, body+"\n")
		case "demo":
			s.must(demo.WriteEstate(s.folder))
		case "replace":
			s.replace(rest, body)
		case "cut":
			var name string
			var size int64
			_, err := fmt.Sscan(rest, &name, &size)
			s.must(err)
			s.must(os.Truncate(filepath.Join(s.folder, name), size))
		case "remove":
			s.must(os.Remove(filepath.Join(s.folder, rest)))
		case "show":
			data, err := os.ReadFile(filepath.Join(s.folder, rest))
			s.must(err)
			got := strings.TrimRight(string(data), "\n")
			if got != body && !*update {
				s.t.Errorf("%s\n--- got ---\n%s\n--- want ---\n%s", rest, got, body)
			}
			body = got
		case "run":
			got := s.run(rest)
			if v := os.Getenv("YEWCONE_VERSION"); v != "" { // of the program that the environment names
				got = strings.ReplaceAll(got, v, Version())
			}
			if got != body && !*update {
				s.t.Errorf("yewcone %s\n--- want ---\n%s\n--- got ---\n%s", rest, body, got)
			}
			body = got
		default:
			s.t.Fatalf("no step is named %q", verb)
		}
		out.WriteString("\n-- " + head + " --\n")
		if body != "" {
			out.WriteString(body + "\n")
		}
	}
	return strings.ReplaceAll(out.String(), "\n\n\n--", "\n\n--")
}

func (s *script) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}

func (s *script) write(name, content string) {
	path := filepath.Join(s.folder, name)
	s.must(os.MkdirAll(filepath.Dir(path), 0o755))
	content = strings.NewReplacer(`\e`, "\x1b", `\r`, "\r", `\u202e`, "\u202e").Replace(content)
	s.must(os.WriteFile(path, []byte(content), 0o644))
}

func (s *script) replace(name, body string) {
	data, err := os.ReadFile(filepath.Join(s.folder, name))
	s.must(err)
	text := string(data)
	for line := range strings.SplitSeq(body, "\n") {
		before, after, _ := strings.Cut(line, " ==> ")
		after = strings.ReplaceAll(after, `\n`, "\n")
		if !strings.Contains(text, before) {
			s.t.Fatalf("%s does not contain %q", name, before)
		}
		text = strings.Replace(text, before, after, 1)
	}
	s.must(os.WriteFile(filepath.Join(s.folder, name), []byte(text), 0o644))
}

func (s *script) run(line string) string {
	stdout, stderr, code := runTool(s.t, s.folder, split(line)...)
	var b strings.Builder
	b.WriteString(stdout)
	for l := range strings.Lines(stderr) {
		b.WriteString("! " + l)
	}
	if code != 0 {
		fmt.Fprintf(&b, "(exit %d)\n", code)
	}
	text := strings.ReplaceAll(b.String(), s.folder, "$WORK")
	return strings.TrimRight(text, "\n")
}

// split cuts a command line at spaces; quotes hold words together.
func split(line string) []string {
	var args []string
	var word strings.Builder
	open, inWord := rune(0), false
	for _, r := range line {
		switch {
		case open != 0 && r == open:
			open = 0
		case open == 0 && (r == '"' || r == '\''):
			open, inWord = r, true
		case open == 0 && r == ' ':
			if inWord {
				args = append(args, word.String())
			}
			word.Reset()
			inWord = false
		default:
			word.WriteRune(r)
			inWord = true
		}
	}
	if inWord {
		args = append(args, word.String())
	}
	return args
}

// runTool runs the program in a folder. A panic or a death by a signal fails
// the test whatever it expects.
func runTool(t *testing.T, folder string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	return runWith(t, folder, "", args...)
}

// runWith is runTool with a text on standard input.
func runWith(t *testing.T, folder, stdin string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	var out, errs bytes.Buffer
	var c *exec.Cmd
	var err error
	for range 3 {
		c = tooltest.Command(folder, args...)
		c.Stdin, c.Stdout, c.Stderr = strings.NewReader(stdin), &out, &errs
		c.Env = append(c.Env, "NO_COLOR=", "TZ=Pacific/Auckland")
		if err = c.Run(); !tooltest.NotBegun(c, out.Len()+errs.Len()) {
			break
		}
	}
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	if strings.Contains(errs.String(), "goroutine ") || c.ProcessState.ExitCode() < 0 {
		t.Fatalf("yewcone %s\n%s", strings.Join(args, " "), errs.String())
	}
	return out.String(), errs.String(), c.ProcessState.ExitCode()
}
