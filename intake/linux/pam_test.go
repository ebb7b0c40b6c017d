package linux

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/intake"
	"yewcone/intake/intaketest"
)

// pamFiles are files of PAM, and whether they let in: as libpam has it, which
// TestLivePAM asks. What they hold of module lines decides it.
var pamFiles = []struct {
	text string
	in   bool
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

func TestLinuxPAMLines(t *testing.T) {
	for _, c := range pamFiles {
		folder := t.TempDir()
		r := &intake.Request{System: "x", Folder: folder, From: []string{"."}}
		e := &export{request: r, root: ".", Base: r.NewBase()}
		writePAM(t, filepath.Join(folder, "etc/pam.d"), c.text)
		found, ok := e.stackOf("yew", "auth", nil)
		if !ok {
			t.Fatalf("%q: nothing was read", c.text)
		}
		in := find(found.modules, "pam_permit") != nil && find(found.modules, "pam_deny") == nil
		if in != c.in {
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

// TestLivePAM asks libpam itself, through pamtester, in a view of the file
// system of the test's own.
func TestLivePAM(t *testing.T) {
	if os.Getenv("YEWCONE_LIVE") == "" {
		t.Skip("YEWCONE_LIVE is not set")
	}
	for _, c := range pamFiles {
		folder := t.TempDir()
		writePAM(t, folder, c.text)
		out, err := exec.Command("unshare", "-m", "sh", "-c",
			"mount --bind '"+folder+"' /etc/pam.d && exec pamtester yew root authenticate").CombinedOutput()
		if said := strings.Contains(string(out), "successfully"); said != c.in || !said && !strings.Contains(string(out), "failure") {
			t.Errorf("%q: libpam says %v: %s", c.text, err, out)
		}
	}
	for line, in := range emptyPasswords {
		folder := t.TempDir()
		writePAM(t, folder, line)
		shadow := filepath.Join(t.TempDir(), "shadow")
		if err := os.WriteFile(shadow, []byte("root::20775:0:99999:7:::\n"), 0o640); err != nil {
			t.Fatal(err)
		}
		out, _ := exec.Command("unshare", "-m", "sh", "-c", "mount --bind '"+folder+"' /etc/pam.d && mount --bind '"+shadow+
			"' /etc/shadow && exec pamtester yew root authenticate").CombinedOutput()
		if said := strings.Contains(string(out), "successfully"); said != in {
			t.Errorf("%q: libpam says %s", line, out)
		}
	}
	t.Logf("%d files asked of libpam", len(pamFiles)+len(emptyPasswords))
}
