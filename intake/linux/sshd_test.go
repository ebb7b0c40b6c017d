package linux

import (
	"fmt"
	"strings"
	"testing"

	"yewcone/intake/intaketest"
	"yewcone/intake/livetest"
)

// sshdFiles are settings of sshd, and whether a password lets ada and root in by
// them: as sshd has it, which TestLiveSshd asks.
var sshdFiles = []struct{ text, ada, root string }{
	{"", "true", "false"}, {"PermitRootLogin yes", "true", "true"}, {"PermitRootLogin no", "true", "false"},
	{"PasswordAuthentication no\nPermitRootLogin yes", "false", "false"},
	{"PasswordAuthentication no\nKbdInteractiveAuthentication yes\nUsePAM yes\nPermitRootLogin yes", "true", "true"},
	{"PasswordAuthentication no\nKbdInteractiveAuthentication yes\nUsePAM no", "false", "false"},
	{"passwordauthentication NO\nPasswordAuthentication yes", "false", "false"}, {"PermitRootLogin prohibit-password", "true", "false"},
	{"AllowUsers root\nPermitRootLogin yes", "", ""}, {"Match User ada\nPasswordAuthentication no", "", ""},
	{"AuthenticationMethods publickey", "", "false"}, {"AuthenticationMethods any\nPermitRootLogin yes", "true", "true"},
}

// TestLiveSshd signs in through sshd, and reads what it prints of itself.
func TestLiveSshd(t *testing.T) {
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		r.Run("useradd -m -s /bin/sh ada; mkdir -p /run/sshd; ssh-keygen -A >/dev/null")
		r.Write("etc/shadow", "root:"+ebbStored+":20775:0:99999:7:::\nsshd:!:20000::::::\nada:"+ebbStored+":20775:0:99999:7:::\n")
		r.Write("root/password", "#!/bin/sh\necho "+ebb+"\n")
		asked, unknown := 0, 0
		for _, c := range sshdFiles {
			r.Write("etc/ssh/sshd_config", c.text+"\n")
			out := r.Run(fmt.Sprintf(`chmod 755 /root/password; sshd -T > /root/sshd.txt
				/usr/sbin/sshd -p %[1]s -o ListenAddress=127.0.0.1 -o PidFile=/run/sshd.pid; sleep 0.2
				for u in ada root; do SSH_ASKPASS=/root/password SSH_ASKPASS_REQUIRE=force setsid ssh -p %[1]s -o StrictHostKeyChecking=no \
					-o NumberOfPasswordPrompts=1 -o PubkeyAuthentication=no -o LogLevel=ERROR $u@127.0.0.1 echo in </dev/null 2>/dev/null || echo out; done
				kill $(cat /run/sshd.pid); sleep 0.1`, r.Port("522")))
			files := linuxHost("", map[string]string{"etc/ssh/sshd_config": c.text + "\n", "sshd.txt": r.Read("root/sshd.txt"),
				"etc/shadow": "root:" + ebbStored + ":20775:0:99999:7:::\nada:" + ebbStored + ":20775:0:99999:7:::\n"})
			said, _ := intaketest.Read(t, Format, []string{"."}, files)
			did := strings.Fields(out)
			for i, login := range []string{"ada", "root"} {
				want := []string{c.ada, c.root}[i]
				got := said["account "+login+": remote_password"]
				if asked++; got == "" {
					unknown++
				}
				if got != want || got != "" && (got == "true") != (did[i] == "in") {
					t.Errorf("%q, %s: we say %q, expected %q, sshd: %s", c.text, login, got, want, did[i])
				}
			}
		}
		t.Logf("%d statements compared on %s, %d unknown", asked, r.Release, unknown)
	})
}
