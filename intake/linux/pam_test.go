package linux

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/intake"
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
	t.Logf("%d files asked of libpam", len(pamFiles))
}
