package linux

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yewcone/intake"
	"yewcone/intake/livetest"
)

// messages are what libpam says of results.
var messages = map[string]string{success: "successfully", authErr: "Authentication failure", denied: "Permission denied",
	tokenErr: "Authentication token manipulation error", unknownTo: "User not known to the underlying authentication module",
	"new_authtok_reqd": "Authentication token is no longer valid; new one required", noModule: "Module is unknown",
	ignored: "The return value should be ignored by PAM dispatch", "open_err": "Failed to load module"}

// randomStack writes files of PAM of modules that give any result.
func randomStack(random *rand.Rand, folder, name, kind string, depth int) error {
	one := func(all ...string) string { return all[random.IntN(len(all))] }
	var b strings.Builder
	for i := range 1 + random.IntN(5) {
		sub := fmt.Sprintf("%s-%d", name, i)
		switch n := random.IntN(100); {
		case depth < 2 && n < 12 || depth < 2 && n >= 88:
			fmt.Fprintf(&b, "%s %s %s\n", kind, one("include", "substack", "substack"), sub)
			if err := randomStack(random, folder, sub, kind, depth+1); err != nil {
				return err
			}
			continue
		case n == 13:
			fmt.Fprintf(&b, "%s%s %s pam_nowhere.so\n", one("", "-"), kind, one("required", "optional", "sufficient"))
			continue
		}
		control := one("required", "requisite", "sufficient", "optional")
		if random.IntN(2) == 0 {
			var words []string
			for _, result := range []string{success, authErr, ignored, "new_authtok_reqd", "default"} {
				if random.IntN(2) == 0 {
					words = append(words, result+"="+one("ok", "done", "bad", "die", "ignore", "reset", "1", "2", "3"))
				}
			}
			control = "[" + strings.Join(words, " ") + "]"
		}
		said := func() string {
			return one(success, success, success, authErr, ignored, "new_authtok_reqd", unknownTo, tokenErr)
		}
		fmt.Fprintf(&b, "%s %s pam_debug.so auth=%s prechauthtok=%s chauthtok=%s\n", kind, control, said(),
			one(success, success, said()), said())
	}
	return os.WriteFile(filepath.Join(folder, name), []byte(b.String()), 0o644)
}

// TestLiveStacks asks libpam what stacks of any shape come to.
func TestLiveStacks(t *testing.T) {
	const many = 400
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		random := rand.New(rand.NewPCG(1, 2))
		for kind, verb := range map[string]string{"auth": "authenticate", "password": "chauthtok"} {
			for i := range many {
				if err := randomStack(random, r.Path("etc/pam.d"), fmt.Sprintf("yew%d", i), kind, 0); err != nil {
					t.Fatal(err)
				}
			}
			out := r.Run(fmt.Sprintf("for i in {0..%d}; do pamtester yew$i root %s 2>&1 | grep ^pamtester || true; done", many-1, verb))
			request := &intake.Request{System: "x", Folder: r.Folder, From: []string{"."}}
			e := &export{request: request, root: ".", opened: map[string]bool{}, Base: request.NewBase()}
			wrong := 0
			for i, line := range strings.Split(strings.TrimSpace(out), "\n") {
				s, _ := e.stackOf(fmt.Sprintf("yew%d", i), kind, nil)
				said := cameTo(&s, kind)
				if strings.Contains(line, messages[said]) {
					continue
				}
				if wrong++; wrong < 6 {
					t.Errorf("we say %s, libpam %s: %v", said, line, s.modules)
				}
			}
			t.Logf("%s on %s: %d stacks compared, %d wrong", kind, r.Release, many, wrong)
		}
	})
}

// cameTo walks a stack of modules that say what their lines tell them to.
func cameTo(s *stack, kind string) string {
	says := func(m *module, arg string) string {
		if m.name == "pam_nowhere" {
			return noModule
		}
		v, _ := m.arg(arg)
		return v
	}
	if kind == "password" {
		return s.change(func(m *module, update bool) string {
			return says(m, map[bool]string{true: "chauthtok", false: "prechauthtok"}[update])
		})
	}
	said, _ := s.walk(func(m *module) string { return says(m, "auth") })
	return said
}
