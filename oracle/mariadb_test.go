package oracle

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

// mariadbRun begins a script with a server that is running, whose clock can be
// set at any time, to the very second.
const mariadbRun = `M="mariadb --no-defaults --skip-ssl -S /tmp/s"
` + setClock

// startMariaDB makes a server and starts it.
func startMariaDB(r *livetest.Root, options string) {
	r.Run(`mkdir -p /tmp/d /run/mysqld; chown mysql /tmp/d /run/mysqld
mariadb-install-db --no-defaults --user=mysql --datadir=/tmp/d --skip-test-db >/dev/null 2>&1
echo +0 > /etc/faketimerc
FAKETIME_NO_CACHE=1 LD_PRELOAD=/usr/lib/x86_64-linux-gnu/faketime/libfaketime.so.1 setsid mariadbd --no-defaults --user=mysql --datadir=/tmp/d \
	--socket=/tmp/s --bind-address=127.0.0.1 --port=` + r.Port("339") + ` --plugin-maturity=alpha --plugin-load-add=auth_ed25519 --plugin-load-add=auth_pam ` + options + ` >/tmp/log 2>&1 </dev/null &
for i in $(seq 1200); do mariadb --no-defaults --skip-ssl -S /tmp/s -e 'select 1' >/dev/null 2>&1 && exit 0; sleep 0.1; done; cat /tmp/log; exit 1`)
}

// A login is an account of the server and how to come to it.
type login struct {
	name, host, password string
}

// full is the account as the reader names it.
func (l *login) full() string { return l.name + "@" + l.host }

// TestLiveMariaDB holds the reader of MariaDB against servers that were lived
// in.
func TestLiveMariaDB(t *testing.T) {
	scenarios(t, "MariaDB", "mariadb", eachAlone, func(t *testing.T, r *livetest.Root, random *rand.Rand, commands string, c *tally) {
		n := func(from, to int) int { return from + random.IntN(to-from+1) }
		lifetime := pick(random, 0, 30, 60)
		r.Write("etc/pam.d/yew", "auth required pam_permit.so\naccount required pam_permit.so\n")
		startMariaDB(r, fmt.Sprintf("--default-password-lifetime=%d --disconnect-on-expired-password=%s --max-password-errors=%d "+
			"%s",
			lifetime, pick(random, "ON", "OFF"), pick(random, 3, 4294967295), pick(random, "", "--skip-name-resolve")))
		checks := fmt.Sprintf("INSTALL SONAME 'simple_password_check'; SET GLOBAL simple_password_check_minimal_length=%d; "+
			"SET GLOBAL simple_password_check_digits=%d; SET GLOBAL simple_password_check_letters_same_case=%d; "+
			"SET GLOBAL simple_password_check_other_characters=%d", n(4, 12), n(0, 2), n(0, 2), n(0, 2))
		if random.IntN(2) == 0 {
			checks += fmt.Sprintf("; INSTALL SONAME 'password_reuse_check'; SET GLOBAL password_reuse_check_interval=%d",
				pick(random, 0, 30))
		}
		if random.IntN(4) == 0 {
			checks += "; INSTALL SONAME 'cracklib_password_check'"
		}
		taken := time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Add(time.Duration(random.IntN(day)) * time.Second)
		var b strings.Builder
		b.WriteString(mariadbRun + "clock " + fmt.Sprint(taken.Unix()-150*day) +
			"\n$M -e \"CREATE ROLE power; GRANT CREATE USER ON *.* TO power; " +
			"CREATE ROLE idle; CREATE ROLE topside; GRANT power TO topside\"\n")
		var all []login
		for i := range 44 {
			l := login{fmt.Sprintf("m%02d", i), pick(random, "%", "localhost", "127.0.0.1"), fmt.Sprintf("Ebb+Flow-%02d/99aA", i)}
			days, with := pick(random, 1, 30, 60), "IDENTIFIED BY '"+l.password+"'"
			made, more, then := taken.Unix()-int64(days)*day+int64(pick(random, -2, -1, 0, 1, 2, 7000, -7000)), "", ""
			switch i % 11 {
			case 0, 1:
				more = fmt.Sprintf(" PASSWORD EXPIRE INTERVAL %d DAY", days)
			case 2:
				if with = "IDENTIFIED VIA ed25519 USING PASSWORD('" + l.password + "')"; random.IntN(2) == 0 {
					with = "IDENTIFIED VIA pam USING 'yew'" // which takes any password
				}
			case 3:
				more = pick(random, " ACCOUNT LOCK", " PASSWORD EXPIRE", " PASSWORD EXPIRE NEVER")
			case 4:
				with, l.password = pick(random, "", "IDENTIFIED VIA mysql_native_password USING ''"), ""
			case 5:
				with = pick(random, "IDENTIFIED VIA mysql_native_password USING 'invalid'", "IDENTIFIED VIA unix_socket",
					"IDENTIFIED VIA mysql_native_password USING 'invalid' OR unix_socket",
					"IDENTIFIED VIA unix_socket OR mysql_native_password USING PASSWORD('"+l.password+"')")
			case 6:
				more = pick(random, " REQUIRE SSL", " REQUIRE X509", " REQUIRE SUBJECT '/CN=quill'", " REQUIRE NONE")
			case 7:
				then = "GRANT " + pick(random, "power", "idle", "topside") + " TO %s"
			case 8:
				then = pick(random, "GRANT ALL ON *.* TO %s", "GRANT SUPER ON *.* TO %s",
					"GRANT SELECT ON *.* TO %s WITH GRANT OPTION", "GRANT CREATE USER ON *.* TO %s",
					"GRANT ALL ON test.* TO %s")
			case 10:
				if l.password = l.name; random.IntN(2) == 0 {
					l.password += "x"
				}
				with = "IDENTIFIED BY '" + l.password + "'"
			case 9:
				l.host = pick(random, "quay1.marrowby.example", "%", "localhost")
			}
			who := "'" + l.name + "'@'" + l.host + "'"
			fmt.Fprintf(&b, "clock %d\n$M -e \"CREATE USER %s %s%s\"\n", made, who, with, more)
			if then != "" {
				fmt.Fprintf(&b, "$M -e \"%s\"\n", fmt.Sprintf(then, who))
			}
			all = append(all, l)
		}
		fmt.Fprintf(&b, "clock %d\n$M -e \"CREATE USER cand@localhost IDENTIFIED BY 'Ebb+Flow-cc/99aA'; SET GLOBAL "+
			"strict_password_validation=ON; %s\"\n", taken.Unix()-day, checks)
		fmt.Fprintf(&b, "mkdir /root/export; cd /root/export; mariadb() { command mariadb --no-defaults --skip-ssl -S "+
			"/tmp/s -u root \"$@\"; }\nclock %d\n%s", taken.Unix(), commands)
		r.Run(b.String())
		e := newEstate(t, r.Path("root/export"), "mariadb")
		mariadbOwn(r, e, c, all)
		mariadbVisits(r, e, c, all, taken.Unix())
		mariadbCandidates(r, e, c, random)
	})
}

func pick2(first bool, a, b string) string {
	if first {
		return a
	}
	return b
}

// mariadbOwn reads what the server itself tells of each account.
func mariadbOwn(r *livetest.Root, e *estate, c *tally, all []login) {
	said := e.facts("")
	var b strings.Builder
	b.WriteString(mariadbRun)
	for _, l := range all {
		fmt.Fprintf(&b, "$M -N -e \"SHOW CREATE USER '%s'@'%s'\"\n", l.name, l.host)
	}
	lines := strings.Split(r.Run(b.String()), "\n")
	for i, l := range all {
		a := said[l.full()]
		c.hold(l.full(), "SHOW CREATE USER tells a lock", a["locked_for_ever"], strings.Contains(lines[i], "ACCOUNT LOCK"), lines[i])
		c.hold(l.full(), "SHOW CREATE USER tells that it never expires", a["never_expires"],
			strings.Contains(lines[i], "EXPIRE NEVER"), lines[i])
		by := strings.HasSuffix(strings.TrimSpace(lines[i]), "PASSWORD EXPIRE") || strings.Contains(lines[i], "PASSWORD EXPIRE PASSWORD")
		c.hold(l.full(), "SHOW CREATE USER tells that it has run out by hand", a["must_change"], by, lines[i])
	}
}

// mariadbVisits signs in as each account, at the second of the export.
func mariadbVisits(r *livetest.Root, e *estate, c *tally, all []login, taken int64) {
	said := e.facts(moment(time.Unix(taken, 0)))
	var b strings.Builder
	b.WriteString(mariadbRun)
	for _, l := range all {
		way, tls := "-S /tmp/s", pick2(r.Release == "trixie", "--ssl --disable-ssl-verify-server-cert", "--skip-ssl")
		if l.host != "localhost" {
			way = "-h 127.0.0.1 -P " + r.Port("339")
		}
		fmt.Fprintf(&b, "clock %d; echo -n \"in $(mariadb --no-defaults %s %s -u %s -p'%s' -e 'select 77' 2>&1 | grep -oE "+
			"'ERROR [0-9]+|77' | tail -1)\"; told %[1]d\n", taken, tls, way, l.name, l.password)
		fmt.Fprintf(&b, "echo \"may $(for role in NONE power topside idle; do for ask in \"CREATE ROLE z\" \"SET GLOBAL "+
			"max_connections=151\" \"GRANT SELECT ON *.* TO cand@localhost\"; do "+
			"clock %d; mariadb --no-defaults %s %s -u %s -p'%s' -e \"SET ROLE $role; $ask\" >/dev/null 2>&1 && { echo yes; $M -e "+
			"'DROP ROLE IF EXISTS z'; break 2; }; done; done)\"\n", taken, tls, way, l.name, l.password)
	}
	lines := strings.Split(r.Run(b.String()), "\n")
	for i, l := range all {
		a, who := said[l.full()], l.full()
		if c.tooLate(lines[2*i]) {
			continue
		}
		word := strings.TrimSpace(strings.TrimPrefix(lines[2*i], "in "))
		may := strings.TrimSpace(strings.TrimPrefix(lines[2*i+1], "may ")) == "yes"
		in := word == "77" || word == "ERROR 1820" || word == "ERROR 1862"
		if !in && strings.Contains(l.host, "quay1") && a["password_usable"] == facts.Yes {
			continue // it would let in from there
		}
		c.hold(who, "the password is the sign-in name", a["password_is_login"], l.password == l.name)
		c.hold(who, "a right password lets in", byPassword(a), in, word)
		if in {
			c.hold(who, "a new password is asked for", a["overdue"].Or(a["must_change"]), word != "77", word)
			c.hold(who, "shut after the end of the password", a["shut"], word == "ERROR 1862", word)
		}
		if a["locked_for_ever"] != facts.Unknown {
			c.hold(who, "locked", a["locked_for_ever"], word == "ERROR 4151", word)
		}
		if word == "77" {
			c.hold(who, "an administrator", a["privileged"], may)
		}
	}
}

// byPassword is what follows for a right password, which may be an empty one.
func byPassword(a map[string]facts.Tri) facts.Tri {
	switch {
	case a["password_usable"] == facts.No || a["locked"] == facts.Yes || a["second_factor"] == facts.Yes:
		return facts.No
	case a["password_usable"] == facts.Yes && a["locked_for_ever"] != facts.Yes:
		return facts.Yes // whom the server blocks for wrong passwords, it tells nobody
	}
	return facts.Unknown
}

// mariadbCandidates has an account set its password to each candidate.
func mariadbCandidates(r *livetest.Root, e *estate, c *tally, random *rand.Rand) {
	all := invented(random, 300, 9, "cand", "quill", "harbour")
	seen := map[string]bool{"": true}
	var b strings.Builder
	var asked []string
	b.WriteString(mariadbRun)
	for _, p := range all {
		if !seen[p] {
			seen[p] = true
			asked = append(asked, p)
		}
	}
	for i, p := range asked {
		fmt.Fprintf(&b, "SET PASSWORD = PASSWORD('%s');\nSELECT 'done %d';\n", p, i)
	}
	script := strings.TrimPrefix(b.String(), mariadbRun)
	r.Write("tmp/candidates.sql", script)
	out, _ := r.Try("mariadb --no-defaults --skip-ssl -S /tmp/s -u cand -p'Ebb+Flow-cc/99aA' --force -n --batch " +
		"--skip-column-names -vv < /tmp/candidates.sql 2>&1")
	refused := map[int]bool{}
	current := -1
	for line := range strings.Lines(out) {
		if strings.HasPrefix(line, "ERROR") {
			refused[current+1] = true
		}
		if number, ok := strings.CutPrefix(strings.TrimSpace(line), "done "); ok {
			if n, err := strconv.Atoi(number); err == nil {
				current = n
			}
		}
	}
	said := e.verdicts("cand@localhost", "Ebb+Flow-cc/99aA", asked)
	for i, p := range asked {
		c.hold("cand", "the password is accepted", said[i], !refused[i], p)
	}
}
