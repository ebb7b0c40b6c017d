package linux

import (
	"strconv"
	"strings"

	"yewcone/core/facts"
)

// sshd is what sshd -T prints: its settings in force for everybody.
type sshd struct {
	known bool
	keys  map[string]string
	some  bool // some people have settings of their own (Match)
}

// readSshd reads what sshd prints of itself.
func (e *export) readSshd() {
	for _, name := range []string{"sshd.txt", "sshd-effective.txt"} {
		lines, ok := e.lines(name)
		if !ok {
			continue
		}
		e.sshd.keys = map[string]string{}
		for _, l := range lines {
			key, value, _ := strings.Cut(strings.TrimSpace(l.text), " ")
			if _, twice := e.sshd.keys[strings.ToLower(key)]; !twice {
				e.sshd.keys[strings.ToLower(key)] = value
			}
		}
		e.sshd.known = e.sshd.keys["passwordauthentication"] != ""
		break
	}
	files := append([]string{"etc/ssh/sshd_config"}, e.inFolder("etc/ssh/sshd_config.d", ".conf")...)
	e.sshd.some = !e.exists(files[0])
	for _, name := range files {
		lines, _ := e.lines(name)
		for _, l := range lines {
			word, _, _ := strings.Cut(strings.TrimSpace(l.text), " ")
			e.sshd.some = e.sshd.some || strings.EqualFold(word, "match")
		}
	}
}

// remote tells whether a password lets the account in from the network: sshd
// takes passwords, itself or through PAM's questions, and root's where it is
// told to.
func (e *export) remote(a *facts.Account, uid int64) {
	if n, err := strconv.Atoi(e.sshd.keys["maxauthtries"]); err == nil && e.sshd.known && !e.sshd.some {
		a.Tries = facts.CountOf(n)
	}
	if a.PasswordUsable == facts.No || a.Blank == facts.Yes && e.sshd.known && e.sshd.keys["permitemptypasswords"] == "no" {
		a.RemotePassword = facts.No
		return
	}
	is := func(key string) bool { return e.sshd.keys[key] == "yes" }
	takes := is("passwordauthentication") || is("usepam") && (is("kbdinteractiveauthentication") || is("challengeresponseauthentication"))
	_, onlySome := e.sshd.keys["allowusers"]
	for _, key := range []string{"denyusers", "allowgroups", "denygroups", "authenticationmethods"} {
		v, set := e.sshd.keys[key]
		onlySome = onlySome || set && v != "any"
	}
	switch {
	case !e.sshd.known || e.sshd.some:
	case !takes, uid == 0 && !is("permitrootlogin"):
		a.RemotePassword = facts.No
	case !onlySome:
		a.RemotePassword = a.PasswordUsable
	}
}
