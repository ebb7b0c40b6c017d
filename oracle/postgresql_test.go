package oracle

import (
	"fmt"
	"math/rand/v2"
	"net"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

// postgresRun begins a script with a server that is running, whose clock can be
// set at any time.
const postgresRun = `AS="setpriv --reuid=postgres --regid=postgres --clear-groups"
psql() { $AS psql -h /tmp -p PORT -U postgres -d postgres "$@"; }
` + setClock

// TestLivePostgreSQL holds the reader of PostgreSQL against servers of any
// shape.
func TestLivePostgreSQL(t *testing.T) {
	scenarios(t, "PostgreSQL", "postgresql", oneByOne, func(t *testing.T, r *livetest.Root, random *rand.Rand, commands string, c *tally) {
		taken := time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Add(time.Duration(random.IntN(day)) * time.Second)
		p := &postgres{random: random, taken: taken}
		p.start(r)
		r.Run(p.begin(r) + p.roles())
		r.Write("tmp/data/pg_hba.conf", "local all postgres peer\n"+p.access(r))
		r.Run(p.begin(r) + fmt.Sprintf("psql -qc 'SELECT pg_reload_conf()' >/dev/null; sleep 0.5; clock %d; mkdir "+
			"/root/export; cd /root/export\n%s", taken.Unix(), commands))
		e := newEstate(t, r.Path("root/export"), "postgresql")
		said := e.facts(moment(taken))
		p.visits(r, said, c)
		p.power(r, said, c)
		p.candidates(r, e, c)
	})
}

func (p *postgres) begin(r *livetest.Root) string {
	return strings.ReplaceAll(postgresRun, "PORT", r.Port("5439"))
}

// A postgres is a scenario of roles and lines of access.
type postgres struct {
	random *rand.Rand
	taken  time.Time
	names  []string
	pass   map[string]string // "" for none
	lines  string            // of access

	checked bool              // passwordcheck is loaded
	about   map[string]string // what was said of a role when it was made
}

func (p *postgres) start(r *livetest.Root) {
	libraries := pick(p.random, "", "passwordcheck", "passwordcheck,auth_delay")
	session := pick(p.random, "", "", "$libdir/passwordcheck")
	p.checked = strings.Contains(libraries+session, "passwordcheck")
	r.Run(strings.ReplaceAll(fmt.Sprintf(`chmod 1777 /tmp; BIN=$(echo /usr/lib/postgresql/*/bin); AS="setpriv --reuid=postgres --regid=postgres --clear-groups"
cd /tmp; $AS $BIN/initdb -D /tmp/data -A trust -U postgres >/dev/null
echo +0 > /etc/faketimerc
setsid $AS env FAKETIME_NO_CACHE=1 LD_PRELOAD=/usr/lib/x86_64-linux-gnu/faketime/libfaketime.so.1 $BIN/postgres -D /tmp/data -k /tmp -c listen_addresses=127.0.0.1 -p %s \
	-c fsync=off -c auth_delay.milliseconds=%d -c idle_session_timeout=%d -c shared_preload_libraries='%s' -c session_preload_libraries='%s' -c datestyle='%s' -c timezone='%s' >/tmp/log 2>&1 </dev/null &
for i in $(seq 1200); do $AS psql -h /tmp -p PORT -U postgres -d postgres -c 'SELECT 1' >/dev/null 2>&1 && exit 0; sleep 0.1; done; cat /tmp/log; exit 1`,
		r.Port("5439"), pick(p.random, 0, 1), pick(p.random, 0, 600000), libraries, session,
		pick(p.random, "ISO", "German", "SQL, DMY", "Postgres, MDY"), pick(p.random, "UTC", "Europe/Berlin")), "PORT",
		r.Port("5439")))
}

// roles makes the roles and who is a member of what.
func (p *postgres) roles() string {
	p.pass, p.about = map[string]string{}, map[string]string{}
	var b strings.Builder
	b.WriteString("psql -q <<'SQL'\nSET session_preload_libraries='';\nCREATE DATABASE other;\nCREATE ROLE chief SUPERUSER " +
		"NOLOGIN;\nCREATE ROLE runner NOLOGIN;\nGRANT pg_execute_server_program TO runner;\n" +
		"CREATE ROLE crew NOLOGIN;\nCREATE ROLE maker CREATEROLE NOLOGIN;\nCREATE ROLE middle NOLOGIN;\nGRANT chief TO middle;\n")
	for i := range 44 {
		name, password := fmt.Sprintf("r%02d", i), fmt.Sprintf("Ebb+Flow-%02d/99aA", i)
		with := "LOGIN"
		switch i % 11 {
		case 0:
			with = pick(p.random, "NOLOGIN", "LOGIN CONNECTION LIMIT 0", "LOGIN SUPERUSER CONNECTION LIMIT 0", "LOGIN CONNECTION LIMIT 5")
		case 1:
			with += pick(p.random, " SUPERUSER", " CREATEROLE", " CREATEDB", " REPLICATION")
		case 2:
			with += pick(p.random, " NOINHERIT", "")
		}
		until := pick(p.random, "", "", " VALID UNTIL 'infinity'", " VALID UNTIL '-infinity'",
			fmt.Sprintf(" VALID UNTIL '%s+00'", moment(p.taken.Add(time.Duration(pick(p.random, -day, -1, 0, 1, 2,
				day))*time.Second))))
		encryption := pick(p.random, "scram-sha-256", "scram-sha-256", "md5")
		switch p.random.IntN(8) {
		case 0:
			password = ""
		case 1:
			if !p.checked {
				password = name
			}
		}
		p.names = append(p.names, name)
		p.pass[name] = password
		fmt.Fprintf(&b, "SET password_encryption='%s';\nCREATE ROLE %s %s%s", encryption, name, with, until)
		if password != "" {
			fmt.Fprintf(&b, " PASSWORD '%s'", password)
		}
		b.WriteString(";\n")
		if i%3 == 0 {
			group := pick(p.random, "chief", "runner", "crew", "maker", "middle", "pg_write_server_files", "pg_read_all_data")
			with += " in " + group
			fmt.Fprintf(&b, "GRANT %s TO %s;\n", group, name)
		}
		if i%5 == 0 {
			fmt.Fprintf(&b, "GRANT crew TO %s;\n", name)
		}
		p.about[name] = with
		if i%13 == 0 {
			fmt.Fprintf(&b, "SELECT current_setting('server_version_num')::int >= 160000 AS newer \\gset\n\\if "+
				":newer\nGRANT chief TO %s WITH SET FALSE;\n\\endif\n", name)
		}
	}
	b.WriteString("RESET password_encryption;\nCREATE ROLE cand LOGIN PASSWORD 'Ebb+Flow-cc/99aA';\nSQL\n")
	return b.String()
}

// access makes lines of access at random.
func (p *postgres) access(*livetest.Root) string {
	var b strings.Builder
	for range 2 + p.random.IntN(9) {
		users := pick(p.random, "all", "all", "+crew", "r01,r02,r03,r04", "+chief", p.names[p.random.IntN(44)])
		databases := pick(p.random, "all", "all", "postgres", "other")
		method := pick(p.random, "scram-sha-256", "scram-sha-256", "md5", "password", "trust", "reject")
		if p.random.IntN(3) == 0 {
			fmt.Fprintf(&b, "local %s %s %s\n", databases, users, pick(p.random, method, method, "peer"))
			continue
		}
		fmt.Fprintf(&b, "%s %s %s %s %s\n", pick(p.random, "host", "host", "hostnossl", "hostssl"), databases, users,
			pick(p.random, "all", "127.0.0.1/32", "127.0.0.0/8", "127.9.0.0/16", "0.0.0.0/0"), method)
	}
	p.lines = b.String()
	return p.lines
}

// visits signs in as each role by every way that a line of access can mean.
func (p *postgres) visits(r *livetest.Root, said map[string]map[string]facts.Tri, c *tally) {
	socket := r.Path("tmp/.s.PGSQL." + r.Port("5439"))
	for _, name := range p.names {
		any, right := false, false
		r.Run(p.begin(r) + fmt.Sprintf("clock %d", p.taken.Unix()))
		for _, database := range []string{"postgres", "other"} {
			for _, from := range append([]string{"", "127.0.0.1", "127.0.0.7", "127.9.1.1"}, ownAddress()...) {
				dialer, network, address := net.Dialer{}, "tcp", "127.0.0.1:"+r.Port("5439")
				if from == "" {
					network, address = "unix", socket
				} else {
					dialer.LocalAddr = &net.TCPAddr{IP: net.ParseIP(from)}
				}
				in, asked, err := signIn(&dialer, network, address, name, database, p.pass[name])
				if err != nil {
					c.t.Fatal(err)
				}
				any, right = any || in && !asked, right || in && asked
			}
		}
		if secondOf(r) != p.taken.Unix() {
			c.late++
			continue
		}
		a := said[name]
		c.hold(name, "no password is asked for", a["enters_unasked"].And(a["enabled"]), any, p.lines)
		c.hold(name, "the password is the sign-in name", a["password_is_login"], p.pass[name] == name)
		c.hold(name, "a right password lets in", a["password_usable"].And(a["enabled"]).And(
			a["enters_unasked"].Or(a["overdue"].Not())), right || any && p.pass[name] != "", p.lines)
	}
}

// ownAddress is an address of this machine that is not its loopback's, where it
// has one.
func ownAddress() []string {
	all, _ := net.InterfaceAddrs()
	for _, a := range all {
		if n, ok := a.(*net.IPNet); ok && n.IP.To4() != nil && !n.IP.IsLoopback() {
			return []string{n.IP.String()}
		}
	}
	return nil
}

// power asks of each role whether it can do everything.
func (p *postgres) power(r *livetest.Root, said map[string]map[string]facts.Tri, c *tally) {
	var b strings.Builder
	b.WriteString(p.begin(r) + "cd /tmp\n")
	for _, name := range p.names {
		var sql strings.Builder
		for _, role := range []string{"NONE", "chief", "runner", "maker", "middle", "pg_write_server_files"} {
			fmt.Fprintf(&sql, "RESET SESSION AUTHORIZATION; SET SESSION AUTHORIZATION %s; SET ROLE %s;\nSELECT 'at ' || "+
				"current_user, current_setting('is_superuser');\n", name, role)
			fmt.Fprintf(&sql, "COPY (SELECT 1) TO PROGRAM 'cat > /tmp/ran';\nCOPY (SELECT 1) TO '/tmp/ran';\n\\! [ -e "+
				"/tmp/ran ] && rm /tmp/ran && echo ran\nGRANT pg_execute_server_program TO %s;\n", name)
			fmt.Fprintf(&sql, "RESET ROLE; RESET SESSION AUTHORIZATION;\nSELECT 'granted' FROM pg_auth_members x JOIN "+
				"pg_authid g ON g.oid=x.roleid JOIN pg_authid m ON m.oid=x.member WHERE "+
				"g.rolname='pg_execute_server_program' AND m.rolname='%s';\nREVOKE pg_execute_server_program FROM %s;\n",
				name, name)
		}
		fmt.Fprintf(&b, "if psql -AXtq 2>/dev/null <<'SQL' | grep -cE '\\|on$|^ran$|^granted$' >/dev/null; then echo %s "+
			"yes; else echo %s no; fi\n%sSQL\n", name, name, sql.String())
	}
	for line := range strings.Lines(r.Run(b.String())) {
		if f := strings.Fields(line); len(f) == 2 {
			c.hold(f[0], "an administrator", said[f[0]]["privileged"], f[1] == "yes", p.about[f[0]])
		}
	}
}

// candidates has a role set its password to each candidate.
func (p *postgres) candidates(r *livetest.Root, e *estate, c *tally) {
	all := invented(p.random, 300, 8, "cand", "quill", "harbour")
	var sql strings.Builder
	for i, word := range all {
		fmt.Fprintf(&sql, "ALTER ROLE cand PASSWORD '%s' \\echo\nALTER ROLE cand PASSWORD '%s';\n\\echo :ERROR %d\n", word, word, i)
	}
	script := strings.ReplaceAll(sql.String(), "\\echo\nALTER", "\\r\nALTER")
	r.Write("tmp/candidates.sql", "SET SESSION AUTHORIZATION cand;\n"+script)
	out := r.Run(p.begin(r) + "cd /tmp; psql -Xq -f /tmp/candidates.sql 2>/dev/null || true")
	said := e.verdicts("cand", "Ebb+Flow-cc/99aA", all)
	for line := range strings.Lines(out) {
		var failed string
		var i int
		if n, _ := fmt.Sscan(line, &failed, &i); n == 2 && i < len(all) {
			c.hold("cand", "the password is accepted", said[i], failed == "false", all[i])
		}
	}
}
