// Package tooltest makes a test binary the program, so that tests are run again
// when any package of it changes, and the race detector and coverage see what
// the program does.
package tooltest

import (
	"flag"
	"io"
	"os"
	"os/exec"
	"strings"
	"testing"
)

// asTool is the environment variable that makes the test binary the program.
const asTool = "YEWCONE_TEST_BINARY_IS_THE_TOOL"

// Main runs the tests, or the program where Command started the binary.
func Main(m *testing.M, program func(args []string, in io.Reader, out, errs io.Writer) int) {
	if os.Getenv(asTool) != "" {
		os.Exit(program(os.Args, os.Stdin, os.Stdout, os.Stderr))
	}
	flag.Parse()
	if f := flag.Lookup("test.gocoverdir"); f != nil && f.Value.String() != "" {
		os.Setenv("GOCOVERDIR", f.Value.String())
	}
	os.Exit(m.Run())
}

// Command is the program with arguments, in a folder: the test itself, or what
// YEWCONE_PROGRAM names, such as "wine yewcone.exe".
func Command(folder string, args ...string) *exec.Cmd {
	if program := strings.Fields(os.Getenv("YEWCONE_PROGRAM")); len(program) > 0 {
		c := exec.Command(program[0], append(program[1:], args...)...)
		c.Dir, c.Env = folder, os.Environ()
		return c
	}
	self, err := os.Executable()
	if err != nil {
		self = os.Args[0]
	}
	c := exec.Command(self, args...)
	c.Dir, c.Env = folder, append(os.Environ(), asTool+"=1", "GORACE=atexit_sleep_ms=0")
	return c
}

// NotBegun reports whether a program that has ended and printed so many bytes never began:
// under load Wine now and then ends one with 1 and without a word, also one that never
// ends so itself.
func NotBegun(c *exec.Cmd, printed int) bool {
	return strings.Contains(c.Path, "wine") && printed == 0 && c.ProcessState.ExitCode() == 1
}

// Shell is a line of a shell in a folder, in which yewcone is the program.
func Shell(folder, line string) *exec.Cmd {
	c := Command(folder)
	self := c.Path
	c.Path, c.Args = "/bin/bash", []string{"bash", "-c", "yewcone() { \"" + self + "\" \"$@\"; }\n" + line}
	return c
}
