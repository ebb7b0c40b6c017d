package linux

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake/intaketest"
	"yewcone/intake/livetest"
)

const qualityFile = "etc/security/pwquality.conf"

// qualityLines are files of pwquality with the least length that they make,
// and whether the reading stops in them: as the library has it, which
// TestLivePwquality asks.
var qualityLines = []struct {
	text  string
	least int
	stops bool
}{
	{"minlen = 30", 30, false}, {"minlen\t30", 30, false}, {"minlen\t=\t30", 30, false}, {"minlen 30", 30, false},
	{"minlen=30", 30, false}, {"MINLEN = 30", 30, false}, {" \tminlen = 30", 30, false}, {"minlen = 30\r", 30, false},
	{"minlen = 30 # long", 30, false}, {"#minlen = 30", 8, false}, {"minlen = 030", 30, false}, {"minlen = +30", 30, false},
	{"minlen = -5", 6, false}, {"minlen = 20\nminlen = 30", 30, false}, {"minlen = 30\nminlen = 20", 20, false},
	{"enforce_for_root\nminlen=30", 30, false}, {"enforce_for_root = 0\nminlen=30", 30, false},
	{"badwords = a b\nminlen = 30", 30, false},
	{"minlen==30", 8, true}, {"minlen", 8, true}, {"minlen =", 8, true}, {"minlen = 30 x", 8, true}, {"minlen = 0x20", 8, true},
	{"minlen = 30.5", 8, true}, {"minlen = \"30\"", 8, true}, {"minlen: 30", 8, true}, {"; minlen = 30", 8, true},
	{"minlen = 30\\", 8, true}, {"minlen = 99999999999", 8, true}, {"minlen = 30\nfoo = 1", 30, true}, {"foo\nminlen = 30", 8, true},
	{"difok = x\nminlen = 30", 8, true}, {"= 30", 8, true},
	{"# " + strings.Repeat("y", 1020) + "\nminlen = 30", 30, false}, {"# " + strings.Repeat("y", 1021) + "\nminlen = 30", 8, true},
}

func TestLinuxQualityLines(t *testing.T) {
	for _, c := range qualityLines {
		said, notes := intaketest.Read(t, Format, []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::",
			map[string]string{qualityFile: c.text + "\n"}))
		intaketest.Hold(t, c.text, said, map[string]string{"policy host: min_length": fmt.Sprint(c.least)})
		stopped := false
		for _, n := range notes.List() {
			stopped = stopped || n.Kind == facts.NoteRemark && strings.Contains(n.Message, "stops reading")
		}
		if stopped != c.stops {
			t.Errorf("%.40q: stopped is %v", c.text, stopped)
		}
	}
	// An argument that is no number is passed over, and the file's value stays.
	said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost("$y$j9T$aaaa$bbbb:20775:0:90:7:::", map[string]string{
		qualityFile: "minlen\t30\n", "etc/pam.d/common-password": "password requisite pam_pwquality.so minlen=0x40\n" +
			"password [success=1 default=ignore] pam_unix.so use_authtok yescrypt\npassword requisite pam_deny.so\n"}))
	intaketest.Hold(t, "argument", said, map[string]string{"policy host: min_length": "30"})
}

// TestLivePwquality asks the library itself, through pwscore.
// runs tells which of more than three characters libpwquality takes for one, as package
// password says that its systems differ.
var runs = map[string]bool{"1234": true, "DCBA": true, "wxyz": true, "Wxyz": false, "wXyZ": false, "qwer": false, "7890": false, "89:;": true, "XYZ[": true, "z{|}": true,
	"123": false, "1243": false}

func TestLivePwquality(t *testing.T) {
	const letters = "kQ7!mZ2-tB9_xF4%wH6+cJ3rN8sD5vG0pLaYeUiOqRzTbX" // no runs, no words
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		for _, c := range qualityLines {
			r.Write("etc/security/pwquality.conf", "dictcheck = 0\n"+c.text+"\n")
			ask := func(length int) (string, bool) {
				out, err := r.Try("echo '" + letters[:length] + "' | pwscore 2>&1")
				return out, err == nil
			}
			if c.stops {
				if out, _ := ask(len(letters)); !strings.HasPrefix(out, "Error:") {
					t.Errorf("%.40q: the library reads on: %s", c.text, out)
				}
				continue
			}
			if out, ok := ask(c.least); !ok {
				t.Errorf("%.40q: %d characters are refused: %s", c.text, c.least, out)
			}
			if out, ok := ask(c.least - 1); ok || !strings.Contains(out, "shorter than") && !strings.Contains(out, "too short") {
				t.Errorf("%.40q: %d characters: %s", c.text, c.least-1, out)
			}
		}
		r.Write("etc/security/pwquality.conf", "dictcheck = 0\nmaxsequence = 3\n")
		for run, refused := range runs {
			out, err := r.Try("echo 'kQ7!mZ2-" + run + "tB' | pwscore 2>&1")
			if (err != nil) != refused || refused && !strings.Contains(out, "monotonic") {
				t.Errorf("a run of %q: %s", run, out)
			}
		}
		t.Logf("%d files and %d runs asked of %s", len(qualityLines), len(runs), r.Release)
	})
}
