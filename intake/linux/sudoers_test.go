package linux

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"yewcone/intake/intaketest"
	"yewcone/intake/livetest"
)

// sudoRules are rules of etc/sudoers on the host quay1, and whether ada, number
// 1001 and member of crew, number 50, may run anything as root by them: as sudo
// has it, which TestLiveSudo asks.
var sudoRules = map[string]bool{
	"ada ALL=(ALL:ALL) ALL": true, "ada ALL=(root) ALL": true, "ada ALL = (#0) NOPASSWD: ALL": true, "ada ALL=ALL": true,
	"ada ALL=(backup) ALL": false, "ada ALL=(root) /bin/ls": false, "%crew ALL=(ALL) ALL": true, "%other ALL=(ALL) ALL": false,
	"User_Alias MATES = bo, ada\nMATES ALL=(ALL) ALL": true, "Cmnd_Alias EVERY = ALL\nada ALL=(root) EVERY": true,
	"# ada ALL=ALL": false, "ada ALL=(ALL) \\\n  ALL": true, "#1001 ALL=(ALL) ALL": true, "#1002 ALL=(ALL) ALL": false,
	"%#50 ALL=(ALL) ALL": true, "%#51 ALL=(ALL) ALL": false, "%#1001 ALL=(ALL) ALL": true,
	"User_Alias MATES = #1001\nMATES ALL=(ALL) ALL": true,
	"ada quay1=(ALL) ALL":                           true, "ada quay2=(ALL) ALL": false, "ada quay2, quay1=(ALL) ALL": true,
	"ada ALL, !quay1=(ALL) ALL": false,
	"ada !quay2=(ALL) ALL":      false, "ada quay*=(ALL) ALL": true, "ada QUAY1=(ALL) ALL": true, "ada quay2=(ALL) ALL : quay1=(ALL) ALL": true,
	"Host_Alias QUAYS = quay1, quay3\nada QUAYS=(ALL) ALL": true, "Host_Alias QUAYS = quay2\nada QUAYS=(ALL) ALL": false,
	"Host_Alias QUAYS = quay1\nada !QUAYS=(ALL) ALL": false, "Host_Alias QUAYS = quay2\nada ALL, !QUAYS=(ALL) ALL": true,
	"ada ALL=(ALL) ALL, !ALL": false, "ada ALL=(ALL) !ALL, ALL": true, "ada ALL=(ALL) ALL, !/bin/su": true,
	"ada ALL=(ALL) !/bin/su, ALL":           true,
	"ada ALL=(ALL) ALL\nada ALL=(ALL) !ALL": false, "ada ALL=(ALL) !ALL\nada ALL=(ALL) ALL": true,
	"ada ALL=(ALL) ALL\n%crew ALL=(ALL) !ALL": false,
	"ALL, !ada ALL=(ALL) ALL":                 false, "!bo ALL=(ALL) ALL": false, "ALL, !bo ALL=(ALL) ALL": true,
	"ada, !ada ALL=(ALL) ALL": false, "!ada, ada ALL=(ALL) ALL": true,
	"User_Alias MATES = ALL, !ada\nMATES ALL=(ALL) ALL": false, "User_Alias MATES = ALL, !bo\nMATES ALL=(ALL) ALL": true,
	"User_Alias MATES = ada\nALL, !MATES ALL=(ALL) ALL": false, "User_Alias MATES = ALL, !ada\nALL, !MATES ALL=(ALL) ALL": true,
	"Runas_Alias TOP = root, backup\nada ALL=(TOP) ALL": true, "Runas_Alias TOP = backup\nada ALL=(TOP) ALL": false,
	"ada ALL=(ALL, !root) ALL": false,
	"ada ALL=(!root) ALL":      false, "ada ALL=(:crew) ALL": false, "ada ALL=() ALL": false, "ada ALL=(root:crew) ALL": true,
	"ada ALL=(backup) ALL, (root) ALL": true, "ada ALL=(root) /bin/ls, ALL": true, "ada ALL=(backup) /bin/ls, ALL": false,
	"Defaults runas_default=backup\nada ALL=ALL": false, "Defaults runas_default=backup\nada ALL=(root) ALL": true,
	"Cmnd_Alias SOME = /bin/ls, /bin/cat\nada ALL=(ALL) SOME": false, "Cmnd_Alias SOME = /bin/ls\nada ALL=(ALL) ALL, !SOME": true,
	"Cmnd_Alias NONE = !ALL\nada ALL=(ALL) NONE": false, "Cmnd_Alias NONE = !ALL\nada ALL=(ALL) !NONE": true,
	"ADA ALL=(ALL) ALL": true, "%CREW ALL=(ALL) ALL": true, "\"ada\" ALL=(ALL) ALL": true, "ada ALL=(ALL) NOPASSWD: SETENV: ALL": true,
	"ada ALL=(ALL) CWD=/tmp ALL": true, "ada\tALL=(ALL)\tALL": true, "ada ALL = ( ALL : ALL ) ALL": true, "ada,bo ALL=(ALL) ALL": true,
	"ada , bo ALL=(ALL) ALL": true, "ada ALL": false, "ada ALL=(ALL) ALL # all": true, "ada ALL=(ALL) ALL junk": false,
	"ada ALL=(ALL) ALL\nbroken line\n": true, "%:crew ALL=(ALL) ALL": false, "ada ALL=(%root) ALL": true, "MATES ALL=(ALL) ALL": false,
	"@include /etc/sudoers.more": true, "#include sudoers.more": true, "@include \"/etc/sudoers.more\"": true,
	"@includedir /etc/sudoers.d":                     true,
	"ada ALL=(ALL) !ALL\n@include /etc/sudoers.more": true, "@include /etc/sudoers.more\nada ALL=(ALL) !ALL": false,
	"@include /etc/sudoers.%h":     true,
	"#includedir /etc/sudoers.off": false, "ada ALL=(ALL) sudoedit /etc/hosts": false, "ada ALL=(ALL) NOPASSWD: ALL, PASSWD: /bin/ls": true,
}

const sudoGroups = "root:x:0:\ncrew:x:50:ada\nother:x:51:bo\nada:x:1001:\n"

// sudoFiles are the files that rules include, and who is there.
var sudoFiles = map[string]string{"etc/group": sudoGroups, "etc/sudoers.more": "ada ALL=(ALL) ALL\n",
	"etc/sudoers.quay1":     "ada ALL=(ALL) ALL\n",
	"etc/sudoers.d/10-more": "ada ALL=(ALL) ALL\n", "etc/sudoers.d/20.off": "ada ALL=(ALL) !ALL\n",
	"etc/sudoers.d/30-off~":    "ada ALL=(ALL) !ALL\n",
	"etc/sudoers.off/not.read": "ada ALL=(ALL) ALL\n", "hostname.txt": "quay1\n",
	"etc/passwd": "root:x:0:0:root:/root:/bin/bash\nbackup:x:34:34:backup:/:/bin/sh\nada:x:1001:1001:Ada:/home/ada:/bin/bash\n" +
		"bo:x:1002:51:Bo:/home/bo:/bin/bash\ncyd:x:1003:50:Cyd:/home/cyd:/bin/bash\n",
	"etc/shadow": "root:*:20000:0:99999:7:::\nbackup:*:20000:0:99999:7:::\nada:*:20000:0:99999:7:::\nbo:*:20000:0:99999:7:::\n" +
		"cyd:*:20000:0:99999:7:::\n"}

func withRule(rule string) map[string]string {
	files := linuxHost("", sudoFiles)
	files["etc/sudoers"] = rule + "\n"
	return files
}

// TestLinuxGrants: who may become root by etc/sudoers.
func TestLinuxGrants(t *testing.T) {
	for rule, want := range sudoRules {
		said, _ := intaketest.Read(t, Format, []string{"."}, withRule(rule))
		intaketest.Hold(t, rule, said, map[string]string{"account ada: privileged": fmt.Sprint(want)})
	}
	for _, c := range []struct {
		rule, without string
	}{
		{"ada quay1=(ALL) ALL", "hostname.txt"}, {"ada quay1.marrowby.example=(ALL) ALL", ""},
		{"+harbour ALL=(ALL) ALL", ""}, {"ada 192.168.0.0/24=(ALL) ALL", ""},
		{"@include /etc/sudoers.nowhere", ""}, {"@includedir /etc/sudoers.nowhere", ""}, {"%crew ALL=(ALL) ALL", "etc/group"},
		{"@include /etc/sudoers.nowhere\nbo ALL=(ALL) ALL", ""},
	} {
		files := withRule(c.rule)
		delete(files, c.without)
		said, _ := intaketest.Read(t, Format, []string{"."}, files)
		intaketest.Hold(t, c.rule+" without "+c.without, said, map[string]string{"account ada: privileged": ""})
	}
}

// askSudo has users run a program of no note as root by sudo, for many files
// at once; the answers are one line for each, a word for each user.
func askSudo(r *livetest.Root, files []string, users ...string) []string {
	for name, text := range sudoFiles {
		r.Write(name, text)
	}
	// else each question waits for an answer to the host's name
	r.Write("etc/hosts", "127.0.0.1 localhost\n127.0.1.1 quay1.marrowby.example quay1\n")
	for i, text := range files {
		r.Write(fmt.Sprintf("tmp/rules/%d", i), text+"\n")
	}
	r.Write("usr/local/bin/of-no-note", "#!/bin/sh\nid -u\n")
	r.Write("etc/pam.d/sudo", "auth required pam_permit.so\naccount required pam_permit.so\nsession required pam_permit.so\n")
	out := r.Run("chmod 755 /usr/local/bin/of-no-note; chmod -R go-w /etc/sudoers*; chown -R 0:0 /etc/sudoers*; unshare " +
		"--uts bash -c 'hostname quay1\n" +
		fmt.Sprintf("for ((i=0; i<%d; i++)); do cp /tmp/rules/$i /etc/sudoers; chmod 440 /etc/sudoers; for u in %s; do "+
			"if [ \"$(setpriv --reuid=$u --regid=$(id -g $u) --init-groups sudo -S -u root /usr/local/bin/of-no-note "+
			"</dev/null 2>/dev/null)\" = 0 ]; then printf \"true \"; else printf \"false \"; fi; "+
			"done; echo; done'", len(files), strings.Join(users, " ")))
	return strings.Split(strings.TrimSpace(out), "\n")
}

// TestLiveSudo asks sudo itself.
func TestLiveSudo(t *testing.T) {
	var rules []string
	for rule := range sudoRules {
		rules = append(rules, rule)
	}
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		for i, said := range askSudo(r, rules, "ada") {
			if strings.TrimSpace(said) != fmt.Sprint(sudoRules[rules[i]]) {
				t.Errorf("%q: sudo says %s", rules[i], said)
			}
		}
		t.Logf("%d rules asked of %s", len(rules), r.Release)
	})
}

// randomSudoers is a file of aliases and rules that let somebody do something.
func randomSudoers(random *rand.Rand) string {
	one := func(all ...string) string { return all[random.IntN(len(all))] }
	list := func(all ...string) string {
		var out []string
		for range 1 + random.IntN(3) {
			out = append(out, one("", "", "", "!")+one(all...))
		}
		return strings.Join(out, one(",", ", "))
	}
	users := []string{"ada", "bo", "cyd", "ALL", "%crew", "%other", "#1001", "%#50", "MATES", "PILOTS"}
	hosts := []string{"ALL", "quay1", "quay2", "QUAYS", "quay*"}
	as := []string{"ALL", "root", "backup", "TOP", "#0"}
	commands := []string{"ALL", "/bin/ls", "EVERY", "SOME", "/usr/bin/"}
	var b strings.Builder
	fmt.Fprintf(&b, "User_Alias MATES = %s : PILOTS = %s\n", list(users[:8]...), list(users[:9]...))
	fmt.Fprintf(&b, "Host_Alias QUAYS = %s\nRunas_Alias TOP = %s\n", list(hosts[:3]...), list(as[:3]...))
	fmt.Fprintf(&b, "Cmnd_Alias EVERY = %s\nCmnd_Alias SOME = %s\n", list("ALL", "/bin/ls"), list("/bin/ls", "/bin/cat"))
	for range 1 + random.IntN(5) {
		fmt.Fprintf(&b, "%s %s=%s%s%s\n", list(users...), list(hosts...), one("", "("+list(as...)+")",
			"("+list(as...)+":ALL)"), one("", " NOPASSWD: "),
			list(commands...))
	}
	return b.String()
}

// TestLiveSudoers asks sudo who may do what by files of any shape.
func TestLiveSudoers(t *testing.T) {
	livetest.Skip(t)
	const many = 150
	for _, release := range livetest.Releases {
		random := rand.New(rand.NewPCG(7, 11))
		var files []string
		for range many {
			files = append(files, randomSudoers(random))
		}
		asked, wrong := 0, 0
		for i, said := range askSudo(livetest.Open(t, release), files, "ada", "bo", "cyd") {
			ours, _ := intaketest.Read(t, Format, []string{"."}, withRule(files[i]))
			for j, user := range []string{"ada", "bo", "cyd"} {
				asked++
				if got := ours["account "+user+": privileged"]; got != strings.Fields(said)[j] {
					if wrong++; wrong < 5 {
						t.Errorf("%s: we say %q of %s, sudo %s\n%s", release, got, user, strings.Fields(said)[j], files[i])
					}
				}
			}
		}
		t.Logf("%s: %d statements compared, %d wrong", release, asked, wrong)
	}
}
