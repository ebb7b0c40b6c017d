package oracle

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

// A host is a scenario: files, accounts, and what happens to them before the
// export.
type host struct {
	random *rand.Rand
	taken  time.Time
	logins []string
	script []event
	auth   string // how the host signs people in

	unlock, rootUnlock time.Duration // how long a lock lasts; 0 for ever
}

// An event is a command at a moment.
type event struct {
	at      time.Time
	command string
}

func passwordOf(login string) string { return "Kq7!mZ2-" + login + "xF4%" }

// files are the host's settings.
func (h *host) files(r *livetest.Root) {
	n := func(from, to int) int { return from + h.random.IntN(to-from+1) }
	unix := "sufficient pam_unix.so nodelay " + pick(h.random, "", "nullok")
	h.auth = pick(h.random,
		"auth required pam_faillock.so preauth nodelay\nauth "+unix+"\nauth [default=die] pam_faillock.so authfail nodelay\n",
		"auth requisite pam_faillock.so preauth nodelay silent\nauth [success=1 default=ignore] pam_unix.so nodelay nullok\n"+
			"auth [default=die] pam_faillock.so authfail nodelay\nauth required pam_permit.so\n",
		"auth [success=1 default=ignore] pam_unix.so nodelay nullok\nauth requisite pam_deny.so\nauth required pam_permit.so\n",
		"auth optional pam_faillock.so preauth nodelay\nauth "+unix+"\nauth required pam_faillock.so authfail nodelay\n",
		"auth substack yew-inner\nauth required pam_permit.so\n",
		"auth required pam_env.so\nauth required pam_faillock.so preauth nodelay silent\nauth sufficient pam_unix.so nodelay try_first_pass\n"+
			"auth [default=die] pam_faillock.so authfail nodelay\nauth required pam_deny.so\n",
		"auth requisite pam_faillock.so preauth nodelay\nauth [success=1 default=bad] pam_unix.so nodelay\nauth [default=die] pam_faillock.so authfail nodelay\n"+
			"auth sufficient pam_faillock.so authsucc nodelay\nauth required pam_deny.so\n",
		"auth "+unix+"\nauth requisite pam_succeed_if.so uid >= 1000 quiet_success\nauth required pam_deny.so\n",
		"auth optional pam_unix.so nodelay\nauth optional pam_permit.so\n")
	r.Write("etc/pam.d/common-auth", h.auth)
	r.Write("etc/pam.d/yew-inner", "auth requisite pam_faillock.so preauth nodelay\nauth [success=done default=ignore] "+
		"pam_unix.so nodelay\n"+
		"auth [default=die] pam_faillock.so authfail nodelay\n")
	r.Write("etc/pam.d/login", "auth optional pam_faildelay.so delay=0\nauth requisite pam_nologin.so\n@include "+
		"common-auth\n@include common-account\n")
	r.Write("etc/pam.d/sudo", "auth required pam_permit.so\naccount required pam_permit.so\nsession required pam_permit.so\n")
	r.Write("etc/pam.d/chpasswd", "password required pam_unix.so sha512 rounds=1000\n") // root's own, which refuses nothing
	r.Write("etc/pam.d/yew-account", "account required pam_unix.so\n")
	quality := "pam_pwquality.so retry=1 " + pick(h.random, "", fmt.Sprintf("minlen=%d", n(6, 12)), "minclass=3")
	writes := "pam_unix.so sha512 rounds=1000"
	r.Write("etc/pam.d/common-password", pick(h.random,
		"password requisite "+quality+"\npassword [success=1 default=ignore] "+writes+" use_authtok\npassword requisite "+
			"pam_deny.so\npassword required pam_permit.so\n",
		"password requisite "+quality+"\npassword requisite pam_pwhistory.so use_authtok remember="+fmt.Sprint(n(1,
			4))+"\npassword required "+writes+" use_authtok\n",
		"password optional "+quality+"\npassword required "+writes+" use_authtok\n",
		"password required "+writes+" remember="+fmt.Sprint(n(1, 4))+"\n",
		"password [success=ok default=ignore] "+quality+"\npassword required "+writes+" minlen="+fmt.Sprint(n(5, 9))+"\n",
		"password requisite "+quality+"\npassword requisite pam_pwquality.so retry=1 use_authtok minlen="+fmt.Sprint(n(7,
			13))+"\npassword required "+writes+" use_authtok\n"))
	r.Write("etc/security/pwquality.conf", fmt.Sprintf("minlen = %d\ndifok = %d\ndcredit = %d\nucredit = %d\nlcredit = "+
		"%d\nocredit = %d\nminclass = %d\n"+
		"maxrepeat = %d\nmaxsequence = %d\nmaxclassrepeat = %d\ngecoscheck = %d\ndictcheck = %d\nusercheck = %d\n",
		n(5, 12), n(0, 5), n(-2, 1), n(-1, 1), n(-2, 1), n(-1, 1),
		n(0, 4), pick(h.random, 0, 0, 2, 3), pick(h.random, 0, 0, 3, 4), pick(h.random, 0, 0, 0, 4), n(0, 1),
		pick(h.random, 0, 0, 0, 1), n(0, 1)))
	unlock := pick(h.random, "0", "never", "60", "600", "3600")
	h.unlock, _ = time.ParseDuration(strings.Replace(unlock, "never", "0", 1) + "s")
	root := pick(h.random, "", "even_deny_root", "even_deny_root\nroot_unlock_time = 90", "admin_group = crew")
	if h.rootUnlock = h.unlock; strings.Contains(root, "= 90") {
		h.rootUnlock = 90 * time.Second
	}
	r.Write("etc/security/faillock.conf", fmt.Sprintf("deny = %d\nfail_interval = %d\nunlock_time = %s\n%s\n", n(1, 4),
		pick(h.random, 120, 900, 3600), unlock, root))
	r.Write("etc/sudoers", "root ALL=(ALL:ALL) ALL\n%crew ALL=(ALL) ALL\nUser_Alias MATES = #1003, #1005\nMATES ALL=(root) "+
		"NOPASSWD: ALL, !/bin/su\n"+
		"#1006 quay9=(ALL) ALL\n#1007 ALL=(ALL) /bin/ls\n@includedir /etc/sudoers.d\n")
	r.Write("etc/sudoers.d/10-more", "#1008 ALL=(ALL) ALL\n#1003 ALL=(ALL) !ALL\n")
}

// happens adds a command at a moment some seconds before the export.
func (h *host) happens(before int, format string, args ...any) {
	h.script = append(h.script, event{h.taken.Add(-time.Duration(before) * time.Second), fmt.Sprintf(format, args...)})
}

const day = 86400

// lives makes the accounts and what happens to them.
func (h *host) lives() {
	n := func(from, to int) int { return from + h.random.IntN(to-from+1) }
	fails := "echo wrong | pamtester login %s authenticate >/dev/null 2>&1 || true"
	h.happens(200*day, "groupadd -g 60 crew 2>/dev/null || groupadd crew")
	for i := range 44 {
		login := fmt.Sprintf(pick(h.random, "a%02d", "ab%02d", "quay%02d"), i)
		h.logins = append(h.logins, login)
		made := n(20, 150) * day
		h.happens(made, "useradd -u %d -M -K PASS_MAX_DAYS=%d -c 'Brannagh Quill' %s", 1000+i, pick(h.random, 99999, 90, 30), login)
		if i == 43 {
			login = "last"
			h.script[len(h.script)-1].command = "useradd -u 1043 -M last"
			h.logins[i] = login
		}
		h.happens(made-60, "echo '%s:%s' | chpasswd", login, passwordOf(login))
		if i%4 == 0 {
			h.happens(n(1, 19)*day, "echo '%s:%s' | chpasswd", login, passwordOf(login))
		}
		age := func() int { return made/day + n(-2, 2) }
		switch i % 11 {
		case 0, 1:
			h.happens(2*day, "chage -M %d -I %d %s", age(), pick(h.random, -1, 0, 1, 2, 5), login)
		case 2:
			h.happens(2*day, "chage -M %d %s", pick(h.random, -1, 0, 99999, 10000, age()), login)
		case 3:
			h.happens(2*day, "chage -E %d %s", h.taken.Unix()/day+int64(n(-1, 2)), login)
		case 4:
			h.happens(2*day, "chage -d %s %s", pick(h.random, "0", "-1", "0"), login)
		case 5:
			h.happens(2*day, "%s %s", pick(h.random, "usermod -L", "passwd -d", "usermod -p '*'", "passwd -l"), login)
		case 6, 7, 8:
			at := n(1, 5000)
			for range n(1, 6) {
				h.happens(at, fails, login)
				at = max(1, at-pick(h.random, 1, 30, 400))
			}
			if h.random.IntN(4) == 0 {
				h.happens(max(1, at-5), "echo '%s' | pamtester login %s authenticate >/dev/null 2>&1 || true", passwordOf(login), login)
			}
		case 9:
			h.happens(2*day, "usermod -aG crew %s", login)
		}
		if i%11 == 8 && h.random.IntN(2) == 0 { // one that may be treated as root is
			h.happens(2*day, "usermod -aG crew %s", login)
		}
	}
	h.happens(100*day, "echo 'root:%s' | chpasswd", passwordOf("root"))
	at := n(1, 200)
	for range n(0, 5) {
		h.happens(at, fails, "root")
		at = max(1, at-pick(h.random, 1, 30))
	}
	for i := range 7 { // one that changes its password itself
		h.happens((8-i)*day, "printf '%%s\\n' '%s' '%s' '%s' | setpriv --reuid=1043 --regid=1043 --clear-groups passwd "+
			">/dev/null 2>&1 && echo %d >> /root/changed || true",
			old(i-1), old(i), old(i), i)
	}
}

// old are the passwords of the account that changes its own, one after another.
func old(i int) string {
	if i < 0 {
		return passwordOf("last")
	}
	return []string{"gR8_-Wk3hT5!qP", "Mz4=oUy7;cEa9.", "2Vj%Xs6tBw+Lp8", "kN5!Gd9-rHf3_Q", "7Tb,Yc2=uJm6/x",
		"eSa4;Zv8.iOo5P", "D3+wRk9!hGn7-t"}[i]
}

// fast is a clock that starts at a moment and runs a thousand times too quickly:
// whoever is refused waits two seconds by it.
func fast(at time.Time) string { return "@" + moment(at) + " x1000" }

// make writes all of it into the release, with the clock of each event.
func (h *host) make(r *livetest.Root) {
	h.files(r)
	h.lives()
	slices.SortStableFunc(h.script, func(a, b event) int { return a.at.Compare(b.at) })
	var b strings.Builder
	b.WriteString("hostname quay1\n")
	for _, e := range h.script {
		at := moment(e.at)
		if strings.Contains(e.command, "passwd >") {
			at = fast(e.at)
		}
		fmt.Fprintf(&b, "echo '%s' > /etc/faketimerc\n%s\n", at, e.command)
	}
	r.Write("etc/hosts", "127.0.0.1 localhost\n127.0.1.1 quay1.marrowby.example quay1\n")
	r.Write("root/history", b.String())
	r.Clock(moment(h.taken))
	r.Run("unshare --uts bash -eu -o pipefail /root/history")
}

// TestLiveHosts holds the reader of Linux against hosts that were lived in.
func TestLiveHosts(t *testing.T) {
	scenarios(t, "hosts", "linux", eachAlone, func(t *testing.T, r *livetest.Root, random *rand.Rand, commands string, c *tally) {
		h := &host{random: random, taken: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Add(time.Duration(random.IntN(day)) * time.Second)}
		h.make(r)
		r.Clock(moment(h.taken))
		r.Write("root/take", "hostname quay1\n"+commands)
		r.Run("cd /root; unshare --uts bash take; mkdir -p /run/faillock; cp -a /run/faillock /root/tally")
		e := newEstate(t, r.Path("root/export"), "linux")
		h.own(r, e, c)
		h.visits(r, e, c)
		h.grants(r, e, c)
		h.candidates(r, e, c)
		h.past(r, e, c)
	})
}

// edges are moments at which all accounts are asked: the export, and the days
// that begin after it, a second before and after.
func (h *host) edges() []time.Time {
	midnight := h.taken.Truncate(24 * time.Hour).Add(24 * time.Hour)
	return []time.Time{h.taken, midnight.Add(-time.Second), midnight, midnight.Add(time.Second), midnight.Add(24 * time.Hour)}
}

// mostLocks bounds how many accounts are asked at the ends of their locks.
const mostLocks = 8

// lockEnds are moments about the end of the lock of accounts that failed: a second
// before, at it, and a second after.
func (h *host) lockEnds() map[time.Time][]string {
	last := map[string]time.Time{}
	for _, e := range h.script {
		if login, ok := strings.CutPrefix(e.command, "echo wrong | pamtester login "); ok {
			login, _, _ = strings.Cut(login, " ")
			last[login] = e.at
		}
	}
	ends := map[time.Time][]string{}
	asked := 0
	for _, login := range append([]string{"root"}, h.logins...) {
		unlock := h.unlock
		if login == "root" {
			unlock = h.rootUnlock
		}
		end := last[login].Add(unlock)
		if unlock == 0 || last[login].IsZero() || !end.After(h.taken.Add(time.Second)) || asked == mostLocks {
			continue
		}
		asked++
		for _, beside := range []time.Duration{-time.Second, 0, time.Second} {
			ends[end.Add(beside)] = append(ends[end.Add(beside)], login)
		}
	}
	return ends
}

// own reads what the host itself tells of each account, by chage.
func (h *host) own(r *livetest.Root, e *estate, c *tally) {
	said := e.facts("")
	out := r.Run(`for u in ` + strings.Join(h.logins, " ") + `; do echo "$u end $(chage -l $u | grep '^Account expires' | cut -d: -f2)"
		echo "$u password $(chage -l $u | grep '^Password expires' | cut -d: -f2)"; done`)
	for line := range strings.Lines(out) {
		f := strings.Fields(line)
		a := said[f[0]]
		if f[1] == "end" {
			c.hold(f[0], "chage tells an end of the account", a["has_end"], f[2] != "never", line)
		} else {
			must := strings.Contains(line, "must be changed")
			if must || a["must_change"] != facts.Yes { // one without a date is never due to chage, and to libpam 1.5.2 is
				c.hold(f[0], "chage tells that the password must be changed", a["must_change"], must, line)
			}
		}
	}
}

// visits signs in as each account at each moment.
func (h *host) visits(r *livetest.Root, e *estate, c *tally) {
	for _, at := range h.edges() {
		h.visit(r, e, c, at, append([]string{"root"}, h.logins...))
	}
	for at, logins := range h.lockEnds() {
		h.visit(r, e, c, at, logins)
	}
	r.Clock(moment(h.taken))
	r.Run("rm -rf /run/faillock; cp -a /root/tally /run/faillock")
}

func (h *host) visit(r *livetest.Root, e *estate, c *tally, at time.Time, logins []string) {
	said := e.facts(moment(at))
	r.Clock(moment(at))
	lines := strings.Split(r.Run(`for u in `+strings.Join(logins, " ")+`; do
			rm -rf /run/faillock; cp -a /root/tally /run/faillock
			in=out; if echo "Kq7!mZ2-${u}xF4%" | timeout 5 pamtester login $u authenticate >/tmp/said 2>&1; then in=in; elif ! grep -q pamtester: /tmp/said; then
				rm -rf /run/faillock; cp -a /root/tally /run/faillock; echo stuck $u; echo "Kq7!mZ2-${u}xF4%" | timeout 5 pamtester login $u authenticate >/tmp/said 2>&1 && in=in; fi
			for once in 1 2; do # and once more where nothing was said in time
			rm -rf /run/faillock; cp -a /root/tally /run/faillock
			any=out; echo wrong | timeout 5 pamtester login $u authenticate >/tmp/said 2>&1 && any=in; grep -q pamtester: /tmp/said && break; done
			echo "$u $in $any $(timeout 9 pamtester yew-account $u acct_mgmt 2>&1 </dev/null | grep -o 'pamtester: .*' | tail -1)"; done`), "\n")
	for _, line := range lines {
		f := strings.SplitN(line, " ", 4)
		if len(f) < 4 || f[0] == "stuck" {
			continue
		}
		a, who := said[f[0]], f[0]+" at "+moment(at)
		if last := len(h.logins) - 1; f[0] != h.logins[last] { // which has another password by now
			c.hold(who, "a right password lets in", lets(a), f[1] == "in", h.auth)
		}
		c.hold(who, "a wrong password lets in", a["enters_unasked"].And(a["locked"].Not()), f[2] == "in", h.auth)
		c.hold(who, "the account has not ended", a["enabled"], !strings.Contains(f[3], "account has expired"))
		if !strings.Contains(f[3], "account has expired") {
			c.hold(who, "shut after the end of the password", shut(a), strings.Contains(f[3], "token expired"))
		}
		if !strings.Contains(f[3], "account has expired") && !strings.Contains(f[3], "token expired") {
			c.hold(who, "a new password is asked for", a["overdue"].Or(a["must_change"]),
				strings.Contains(f[3], "new one required"))
		}
	}
}

// shut is what is said of the end of grace, where no change is asked for first.
func shut(a map[string]facts.Tri) facts.Tri {
	if a["must_change"] == facts.Yes {
		return facts.No
	}
	return a["shut"]
}

// lets is what follows for a right password.
func lets(a map[string]facts.Tri) facts.Tri {
	switch {
	case a["password_usable"] == facts.No || a["locked"] == facts.Yes:
		return facts.No
	case a["password_usable"] == facts.Yes && a["locked"] == facts.No:
		return facts.Yes
	}
	return facts.Unknown
}

// grants has each account run a program of no note as root.
func (h *host) grants(r *livetest.Root, e *estate, c *tally) {
	said := e.facts("")
	r.Write("usr/local/bin/of-no-note", "#!/bin/sh\nid -u\n")
	out := r.Run(`chmod 755 /usr/local/bin/of-no-note; unshare --uts bash -c 'hostname quay1; for u in ` + strings.Join(h.logins, " ") + `; do
		echo $u $(setpriv --reuid=$u --regid=$(id -g $u) --init-groups sudo -S -u root /usr/local/bin/of-no-note </dev/null 2>/dev/null) $(
			setpriv --reuid=$u --regid=$(id -g $u) --init-groups sudo -k -n -u root /usr/local/bin/of-no-note </dev/null 2>/dev/null); done'`)
	for line := range strings.Lines(out) {
		f := strings.Fields(line)
		c.hold(f[0], "may become root", said[f[0]]["privileged"], len(f) >= 2 && f[1] == "0")
		c.hold(f[0], "becomes root unasked", said[f[0]]["unasked_power"], len(f) == 3)
	}
}

// change has an account change its password to each candidate, and undoes what
// was accepted.
func change(r *livetest.Root, login, present string, candidates []string) []bool {
	r.Write("root/candidates", strings.Join(candidates, "\n")+"\n")
	out := r.Run(fmt.Sprintf(`cp -a /etc/shadow /root/shadow.now; cp -a /etc/security/opasswd /root/opasswd.now 2>/dev/null || true
		while IFS= read -r p; do printf '%%s\n%%s\n%%s\n%%s\n%%s\n%%s\n%%s\n' '%s' "$p" "$p" "$p" "$p" "$p" "$p" |
			setpriv --reuid=%s --regid=%[2]s --clear-groups passwd >/dev/null 2>&1 || true
		if cmp -s /etc/shadow /root/shadow.now; then echo no; else echo yes; cp -a /root/shadow.now /etc/shadow; fi
		[ -e /root/opasswd.now ] && cp -a /root/opasswd.now /etc/security/opasswd || rm -f /etc/security/opasswd; done < /root/candidates`, present, login))
	var did []bool
	for word := range strings.FieldsSeq(out) {
		did = append(did, word == "yes")
	}
	return did
}

// candidates has three accounts change their passwords.
func (h *host) candidates(r *livetest.Root, e *estate, c *tally) {
	r.Clock(fast(h.taken))
	for _, login := range []string{h.logins[10], h.logins[21], h.logins[32]} {
		present := passwordOf(login)
		all := append(invented(h.random, 96, 9, login, "quill", "Brannagh", "harbour", present[:6]), present, present+"x",
			strings.ToUpper(present), login)
		said := e.verdicts(login, present, all)
		for i, did := range change(r, login, present, all) {
			c.hold(login, "the password is accepted", said[i], did, "minlen", len(all[i]), all[i])
		}
	}
}

// past has an account go back to each of its old passwords.
func (h *host) past(r *livetest.Root, e *estate, c *tally) {
	changed, err := os.ReadFile(r.Path("root/changed"))
	if err != nil || len(strings.Fields(string(changed))) != 7 {
		return // the policy refused one of them
	}
	var all []string
	for i := range 6 {
		all = append(all, old(i))
	}
	history := e.setting("", "history")
	barred := map[string]int{"none": 0, "": -1}
	n, ok := barred[history]
	if !ok {
		fmt.Sscan(history, &n)
	}
	for i, did := range change(r, "last", old(6), all) {
		said := facts.TriOf(5-i >= n)
		if n < 0 {
			said = facts.Unknown
		}
		c.hold("last", "an old password is accepted", said, did, fmt.Sprintf("history %q, %d before the present one", history, 6-i))
	}
}
