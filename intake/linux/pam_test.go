package linux

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/core/facts"
	"yewcone/intake"
	"yewcone/intake/intaketest"
	"yewcone/intake/livetest"
)

// pamFiles are files of PAM, and whether they let in: as libpam has it, which
// TestLivePAM asks. What they hold of module lines decides it.
var pamFiles = []struct {
	text string
	in   bool // by libpam 1.5.2
}{
	{"auth required pam_permit.so", true}, {"auth required pam_deny.so", false},
	{"auth required \\\n pam_deny.so", false}, {"auth required \\ \n pam_deny.so", false},
	{"auth required pam_permit.so # x \\\nauth required pam_deny.so", false},
	{"# x \\\nauth required pam_deny.so\nauth required pam_permit.so", false},
	{"auth required pam_permit.so \\\n# x\nauth required pam_deny.so", true},
	{"auth required pam_permit.so \\\n\nauth required pam_deny.so", true},
	{"auth required pam_permit.so \\\nauth required pam_deny.so", true},
	{"auth required pam_permit.so \\ # x\nauth required pam_deny.so", false},
	{"AUTH required pam_permit.so\nAuth REQUIRED pam_deny.so", false},
	{"auth required pam_permit.so\nauth INCLUDE yew-deny", false},
	{"auth required pam_permit.so\n-auth required pam_deny.so", false},
	{"auth required pam_permit.so\naccount required pam_deny.so", true},
}

// pamSince are those that libpam 1.7.0 takes the other way.
var pamSince = map[string]bool{"auth required pam_permit.so \\\n# x\nauth required pam_deny.so": true,
	"auth required pam_permit.so \\\n\nauth required pam_deny.so": true}

func TestLinuxPAMLines(t *testing.T) {
	for _, since := range []facts.Tri{facts.No, facts.Yes} {
		pamLinesBy(t, since)
	}
}

func pamLinesBy(t *testing.T, since facts.Tri) {
	t.Helper()
	for _, c := range pamFiles {
		folder := t.TempDir()
		r := &intake.Request{System: "x", Folder: folder, From: []string{"."}}
		e := &export{request: r, root: ".", opened: map[string]bool{}, Base: r.NewBase(), newer: since}
		writePAM(t, filepath.Join(folder, "etc/pam.d"), c.text)
		found, ok := e.stackOf("yew", "auth", nil)
		if !ok {
			t.Fatalf("%q: nothing was read", c.text)
		}
		in := find(found.modules, "pam_permit") != nil && find(found.modules, "pam_deny") == nil
		if in != (c.in != (pamSince[c.text] && since == facts.Yes)) {
			t.Errorf("%q lets in: %v, by %v", c.text, in, found.modules)
		}
	}
}

func writePAM(t *testing.T, folder, text string) {
	t.Helper()
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{"yew": text, "yew-deny": "auth required pam_deny.so"} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text+"\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// emptyPasswords tells whether an account with an empty field in shadow is let
// in, by the line of pam_unix.
var emptyPasswords = map[string]bool{"auth required pam_unix.so nullok": true, "auth required pam_unix.so": false,
	"auth required pam_unix.so try_first_pass": false, "auth required \\\n pam_unix.so nullok": true}

func TestLinuxEmptyPasswords(t *testing.T) {
	for line, in := range emptyPasswords {
		for _, c := range []struct{ more, want string }{{"other", fmt.Sprint(in)}, {"some", map[bool]string{true: "true"}[in]}} {
			said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost(":20775:0:90:7:::", map[string]string{
				"etc/pam.d/common-auth": line + "\n", "etc/pam.d/login": "@include common-auth\n",
				"etc/pam.d/" + c.more: "@include common-auth\n"}))
			intaketest.Hold(t, line+", with "+c.more, said, map[string]string{"account ada: password_usable": c.want})
		}
	}
}

// takeAny tells whether a stack lets in whoever gives a wrong password.
var takeAny = map[string]bool{
	"auth optional pam_faillock.so preauth\nauth sufficient pam_unix.so\nauth required pam_faillock.so authfail":                            true,
	"auth optional pam_faillock.so preauth\nauth sufficient pam_unix.so nullok\nauth required pam_faillock.so authfail":                     true,
	"auth required pam_faillock.so preauth\nauth sufficient pam_unix.so\nauth required pam_faillock.so authfail":                            true,
	"auth required pam_faillock.so preauth\nauth sufficient pam_unix.so\nauth [default=die] pam_faillock.so authfail":                       false,
	"auth optional pam_unix.so\nauth required pam_permit.so":                                                                                true,
	"auth sufficient pam_unix.so\nauth required pam_deny.so":                                                                                false,
	"auth required pam_faillock.so preauth\nauth sufficient pam_unix.so\nauth required pam_faillock.so authfail\nauth required pam_deny.so": false,
}

// TestLinuxTakesAny: where a stack takes any password, an administrator's lock keeps
// nobody out; an account that failed before may be locked by that.
func TestLinuxTakesAny(t *testing.T) {
	for stack, any := range takeAny {
		for _, c := range []struct{ field, tally, usable, enters, locked string }{
			{"!" + ebbStored, "", fmt.Sprint(any), fmt.Sprint(any), fmt.Sprint(!any)},
			{ebbStored, "", "true", fmt.Sprint(any), "false"},
			{"!" + ebbStored, "2026-11-22 05:00:00 TTY pts/0 V\n", map[bool]string{false: "false"}[any], map[bool]string{false: "false"}[any], map[bool]string{false: "true"}[any]},
		} {
			if c.tally != "" && !strings.Contains(stack, "authfail") {
				continue
			}
			said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost(c.field+":20775:0:90:7:::", map[string]string{
				"etc/pam.d/common-auth": stack + "\n", "etc/pam.d/login": "@include common-auth\n", "etc/security/faillock.conf": "deny = 3\n",
				"faillock.txt": "ada:\nWhen Type Source Valid\n" + c.tally}))
			intaketest.Hold(t, stack+" "+c.field[:1]+c.tally, said, map[string]string{"account ada: password_usable": c.usable,
				"account ada: enters_unasked": c.enters, "account ada: locked": c.locked})
		}
	}
}

// TestLinuxUnknownModules: what a module that is not known here lets in is unknown.
func TestLinuxUnknownModules(t *testing.T) {
	for stack, want := range map[string]string{"auth sufficient pam_elsewhere.so\nauth required pam_unix.so": "", "auth required pam_elsewhere.so\nauth required pam_unix.so": "false"} {
		said, _ := intaketest.Read(t, Format, []string{"."}, linuxHost(ebbStored+":20775:0:90:7:::", map[string]string{
			"etc/pam.d/common-auth": stack + "\n", "etc/pam.d/login": "@include common-auth\n"}))
		intaketest.Hold(t, stack, said, map[string]string{"account ada: enters_unasked": want})
	}
}

// TestLivePAM asks libpam itself, through pamtester.
func TestLivePAM(t *testing.T) {
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		lets := func(text string) (bool, string) {
			r.Write("etc/pam.d/yew", text+"\n")
			out, _ := r.Try("pamtester yew root authenticate 2>&1")
			return strings.Contains(out, "successfully"), out
		}
		r.Write("etc/pam.d/yew-deny", "auth required pam_deny.so\n")
		for _, c := range pamFiles {
			want := c.in != (pamSince[c.text] && r.Release == "trixie")
			if said, out := lets(c.text); said != want || !said && !strings.Contains(out, "failure") {
				t.Errorf("%q: libpam says %s", c.text, out)
			}
		}
		r.Write("etc/shadow", "root::20775:0:99999:7:::\n")
		for line, in := range emptyPasswords {
			if said, out := lets(line); said != in {
				t.Errorf("%q: libpam says %s", line, out)
			}
		}
		r.Run("useradd -M ada; rm -rf /run/faillock")
		r.Write("etc/shadow", "ada:!"+ebbStored+":20775:0:99999:7:::\n")
		for stack, any := range takeAny {
			r.Write("etc/pam.d/yew", stack+"\n")
			out, _ := r.Try("echo wrong | pamtester yew ada authenticate 2>&1; rm -rf /run/faillock")
			if strings.Contains(out, "successfully") != any {
				t.Errorf("%q: libpam says %s", stack, out)
			}
		}
		t.Logf("%d files asked of %s", len(pamFiles)+len(emptyPasswords)+len(takeAny), r.Release)
	})
}
