package oracle

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/livetest"
)

// clocked begins a script whose programs all have a clock that can be set at
// any time, to the very second.
const clocked = `export FAKETIME_NO_CACHE=1 LD_PRELOAD=/usr/lib/x86_64-linux-gnu/faketime/libfaketime.so.1
end() { local p=$(cat /tmp/$1.pid 2>/dev/null || echo none); rm -f /tmp/$1.pid; [ /proc/$p/root -ef / ] || return 0 # it ended, and the number is another's
	kill ${2:-} $p; while [ /proc/$p/root -ef / ]; do LD_PRELOAD= sleep 0.02; done; } # nobody may have buried it yet
drop() { end $1 -9; } # of what it still would write, nothing is wanted
` + setClock

// history is a script of events in their order.
func history(events []event) string {
	slices.SortStableFunc(events, func(a, b event) int { return a.at.Compare(b.at) })
	var b strings.Builder
	for _, e := range events {
		fmt.Fprintf(&b, "clock %d\n%s\n", e.at.Unix(), e.command)
	}
	return b.String()
}

// A realm is a scenario of principals.
type realm struct {
	random *rand.Rand
	taken  int64
	events []event
	names  []string
	flags  map[string]string // what is special about a principal
}

func realmPassword(i int) string { return fmt.Sprintf("Ebb+Flow-%02d/99aA", i) }

// realmLater is an edge that lies after the export.
const realmLater = 600

// startRealm makes a realm and starts its servers.
func (k *realm) start(r *livetest.Root) {
	r.Write("etc/krb5.conf", fmt.Sprintf("[libdefaults]\n\tdefault_realm = QUAY.EXAMPLE\n\tdns_lookup_kdc = false\n[realms]\n"+
		"\tQUAY.EXAMPLE = {\n\t\tkdc = 127.0.0.1:%s\n\t\tadmin_server = 127.0.0.1:%s\n\t}\n", r.Port("1608"), r.Port("1609")))
	conf := fmt.Sprintf("[kdcdefaults]\n\tkdc_listen = 127.0.0.1:%s\n\tkdc_tcp_listen = 127.0.0.1:%[1]s\n[realms]\n\tQUAY.EXAMPLE = {\n"+
		"\t\tdatabase_name = /var/lib/krb5kdc/principal\n\t\tacl_file = /etc/krb5kdc/kadm5.acl\n\t\tkey_stash_file = "+
		"/etc/krb5kdc/stash\n\t\tkadmind_listen = 127.0.0.1:%s\n\t\tkpasswd_listen = 127.0.0.1:%s\n", r.Port("1608"), r.Port("1609"),
		r.Port("1607"))
	if k.random.IntN(3) == 0 {
		conf += "\t\tdict_file = /etc/krb5kdc/words\n"
	}
	conf += "\t}\n"
	if k.random.IntN(4) == 0 {
		conf += "[dbmodules]\n\tQUAY.EXAMPLE = {\n\t\tdb_library = db2\n\t\tdisable_lockout = " +
			pick(k.random, "true", "false") + "\n\t}\n"
	}
	r.Write("etc/krb5kdc/kdc.conf", conf)
	r.Write("etc/krb5kdc/words", "harbour\nquill\n")
	r.Write("etc/krb5kdc/kadm5.acl", k.acl())
	r.Run(clocked + "echo +0 > /etc/faketimerc; mkdir -p /var/lib/krb5kdc /run; kdb5_util create -s -r QUAY.EXAMPLE -P x >/dev/null 2>&1")
}

// acl are lines that give rights, of every form.
func (k *realm) acl() string {
	lines := []string{"p00/admin@QUAY.EXAMPLE *", "p01@QUAY.EXAMPLE c", "p02 cil", "p03@QUAY.EXAMPLE il", "# p04 *",
		"p05@QUAY.EXAMPLE c p06@QUAY.EXAMPLE", "p07 mi */admin@QUAY.EXAMPLE", "p08@QUAY.EXAMPLE *C", "p09 xCMADS",
		"p10@QUAY.EXAMPLE \\\n  c", "*/root@QUAY.EXAMPLE c *1@QUAY.EXAMPLE", "p12 c nobody@QUAY.EXAMPLE", "p13 e", "p14 * * -maxlife 9h",
		"p15 Cc", "p16 cC", "p17/admin@ELSEWHERE.EXAMPLE *", "p18 c p18", "p20 a", "p21 d", "p22 lL", "  p23 c"}
	k.random.Shuffle(len(lines), func(i, j int) { lines[i], lines[j] = lines[j], lines[i] })
	lines = append(lines, pick(k.random, "*/admin@QUAY.EXAMPLE *", "*/admin l", "*/* il", "*@QUAY.EXAMPLE l"))
	return strings.Join(lines, "\n") + "\n"
}

func (k *realm) policies() {
	p := k.random
	span := func(of ...string) string { return pick(p, of...) }
	for _, name := range []string{"crew", "two words", "it''s", "shortened", "lengthened", "gone"} {
		options := fmt.Sprintf("-maxlife \"%s\" -minlength %d -minclasses %d -history %d -maxfailure %d -failurecountinterval \"%s\" "+
			"-lockoutduration \"%s\"", span("0", "30 days", "60 days"), pick(p, 1, 8, 12), pick(p, 1, 2, 3), pick(p, 1, 2, 4),
			pick(p, 0, 2, 3), span("0", "10 minutes"), span("0", "10 minutes", "60 minutes"))
		k.event(-400*day, "kadmin.local -q 'addpol "+options+" \""+strings.ReplaceAll(name, "''", "'\\''")+"\"'")
	}
	k.event(-2*day, "kadmin.local -q 'modpol -maxlife \"10 days\" shortened'; kadmin.local -q 'modpol -maxlife \"90 days\" "+
		"lengthened'; kadmin.local -q 'delpol -force gone'")
	k.event(-10*day, "kadmin.local -q 'addpol -minlength "+fmt.Sprint(pick(p, 6, 8, 10))+" -minclasses "+fmt.Sprint(pick(p,
		1, 2, 3, 4))+" candidates'; kadmin.local -q 'addpol -history "+fmt.Sprint(pick(p, 1, 2, 4))+" past'")
}

func (k *realm) event(after int64, script string) {
	k.events = append(k.events, event{time.Unix(k.taken+after, 0), script + " >/dev/null"})
}

// principals makes them, and what happened to them.
func (k *realm) principals() {
	p := k.random
	edge := func() int64 { return int64(pick(p, -1, 0, 1, realmLater, -5000, 5000)) }
	date := func() string { return moment(time.Unix(k.taken+edge(), 0)) }
	k.flags = map[string]string{}
	for i := range 44 {
		name := fmt.Sprintf("p%02d", i)
		switch i % 11 {
		case 0, 6:
			name += "/admin"
		case 8:
			name += pick(p, "/root", "/quay1.marrowby.example", " watch")
		case 9:
			if i > 20 {
				name = "krbtgt/" + strings.ToUpper(name) + ".EXAMPLE"
			}
		}
		policy := pick(p, "", "-policy crew", "-policy \"two words\"", "-policy \"it'\\''s\"", "-policy shortened", "-policy lengthened",
			"-policy gone")
		with := pick(p, "+requires_preauth", "+requires_preauth", "+requires_preauth", "")
		made := -int64(pick(p, 10, 30, 60, 90))*day + edge()
		after := ""
		switch i % 11 {
		case 1:
			with += pick(p, " -allow_tix", " +needchange", " +requires_hwauth", " -allow_svr")
		case 2:
			after = fmt.Sprintf("modprinc -expire \"%s\" %s", date(), name)
		case 3:
			after = fmt.Sprintf("modprinc -pwexpire \"%s\" %s", pick(p, date(), "never"), name)
		case 4:
			with += " -e " + pick(p, "aes256-cts:normal", "camellia256-cts:normal")
		case 5:
			after = pick(p, "modprinc -clearpolicy ", "modprinc -policy crew ", "modprinc -policy nonesuch ") + name
		}
		make := fmt.Sprintf("kadmin.local -q 'addprinc -pw %s %s %s \"%s\"'", realmPassword(i), policy, with, name)
		if i%11 == 7 && p.IntN(3) == 0 {
			make, with = fmt.Sprintf("kadmin.local -q 'addprinc -nokey %s \"%s\"'", policy, name), "-nokey"
		}
		k.event(made, make)
		if after != "" {
			k.event(made+60, "kadmin.local -q '"+after+"'")
		}
		if i%3 == 0 {
			tries, at := pick(p, 1, 2, 3, 4), -int64(pick(p, 0, 600, 3600))+edge()%600
			k.event(min(at, 0), strings.Repeat(fmt.Sprintf("echo wrong | kinit -c /tmp/cc '%s' 2>&1 || :; ", name), tries)+":")
			if i%6 == 0 && p.IntN(2) == 0 {
				k.event(0, "kadmin.local -q '"+pick(p, "modprinc -requires_preauth", "modprinc -unlock")+" \""+name+"\"'")
			}
		}
		k.names = append(k.names, name)
		k.flags[name] = with + " " + policy + " " + after
	}
	k.event(-day, "kadmin.local -q 'addprinc -pw "+realmPassword(0)+" -policy candidates cand'")
	for n := range 7 {
		k.event(-day+int64(n)*60, "kadmin.local -q '"+pick2(n == 0, "addprinc -policy past", "cpw")+" -pw "+old(n)+" last'")
	}
}

// TestLiveKerberos holds the reader of realms against realms that were lived in.
func TestLiveKerberos(t *testing.T) {
	t.Parallel() // its servers mostly wait
	scenarios(t, "Kerberos", "kerberos", eachAlone, func(t *testing.T, r *livetest.Root, random *rand.Rand, commands string, c *tally) {
		k := &realm{random: random, taken: time.Date(2026, 11, 23, 6, 0, 0, 0, time.UTC).Unix() + int64(random.IntN(day))}
		k.start(r)
		k.policies()
		k.principals()
		more := how(t, "kerberos", ":\n", "keys):\n")
		r.Run(clocked + "exec 2>&1\nkrb5kdc -P /tmp/kdc.pid; " + history(k.events) +
			fmt.Sprintf("mkdir /root/export; cd /root/export; clock %d\n%s\n"+
				"cp -r /root/export /root/tables; cd /root/tables; rm getprinc.txt\n%s\nend kdc; cp -a /var/lib/krb5kdc /root/db\n",
				k.taken, commands, strings.ReplaceAll(more, "tabdump -c", pick(random, "tabdump -c", "tabdump -n -c"))))
		e, tables := newEstate(t, r.Path("root/export"), "kerberos"), newEstate(t, r.Path("root/tables"), "kerberos")
		for _, after := range []int64{0, 1, realmLater - 1, realmLater, realmLater + 1} {
			k.visits(r, c, after, e, tables)
		}
		k.rights(r, c, e, tables)
		k.candidates(r, c, e)
		k.past(r, c, e)
	})
}

// visits asks for a ticket as each principal, so many seconds after the export.
func (k *realm) visits(r *livetest.Root, c *tally, after int64, estates ...*estate) {
	var b strings.Builder
	fmt.Fprintf(&b, "%srm -rf /var/lib/krb5kdc; cp -a /root/db /var/lib/krb5kdc; clock %d; krb5kdc -P /tmp/kdc.pid "+
		">/dev/null\nget() { clock %[2]d; "+
		"out=$(kinit -c /tmp/cc \"$@\" 2>&1 <<< \"$p\" | tr '\\n' ' ') && echo -n \"in $out\" || echo -n \"out $out\"; told %[2]d; }\n",
		clocked, k.taken+after)
	for i, name := range k.names {
		// Where a ticket is refused, one to change the password with tells why.
		fmt.Fprintf(&b, "p=%s; get '%s' | tee /tmp/got; grep -q '^in' /tmp/got && echo 'in the same' || get -S "+
			"kadmin/changepw '%[2]s'\n", realmPassword(i), name)
	}
	lines := strings.Split(r.Run(b.String()+"drop kdc\n"), "\n")
	for _, e := range estates {
		said := e.facts(moment(time.Unix(k.taken+after, 0)))
		for i, name := range k.names {
			a, who := said[name], fmt.Sprintf("%s (%s) at +%d", name, k.flags[name], after)
			first, second := lines[2*i], lines[2*i+1]
			if c.tooLate(first + second) {
				continue
			}
			in := strings.HasPrefix(second, "in ")
			lets := a["enabled"].And(a["locked"].Not()).And(a["password_usable"])
			if a["second_factor"] == facts.Yes {
				lets = facts.No
			}
			c.hold(who, "a right password lets in", lets, in, second)
			if in {
				asked := strings.Contains(first, "expired")
				c.hold(who, "a new password is asked for", a["overdue"].Or(a["must_change"]), asked, first)
				c.hold(who, "shut after the end of the password", a["shut"], false)
			}
		}
	}
}

// rights has each principal act on every other one, and on policies.
func (k *realm) rights(r *livetest.Root, c *tally, estates ...*estate) {
	var b strings.Builder
	fmt.Fprintf(&b, "%srm -rf /var/lib/krb5kdc; cp -a /root/db /var/lib/krb5kdc; clock %d; krb5kdc -P /tmp/kdc.pid "+
		">/dev/null; kadmind -P /tmp/kadmind.pid\n", clocked, k.taken)
	var ask strings.Builder
	for i, name := range k.names {
		if at := i % 11; i%10 != 1 && at != 0 && at != 8 && at != 9 {
			continue // nothing in the list of rights tells these apart
		}
		fmt.Fprintf(&ask, "cpw -pw \"\" \"%s\"\nmodprinc -maxlife \"10 hours\" \"%[1]s\"\n", name)
	}
	ask.WriteString("addpol zz\ndelpol -force yy\nktadd -k /tmp/kt -norandkey cand\n")
	r.Write("tmp/ask", ask.String())
	for i, name := range k.names {
		fmt.Fprintf(&b, "clock %d; out=$(grep -vF '\"%s\"' /tmp/ask | kadmin -p '%[2]s' -w %[3]s 2>&1 || :); words=$(grep "+
			"-oE 'Empty password|Password is too short|"+
			"modified|added to keytab|does not exist while deleting|while initializing' <<< \"$out\" | sort -u | tr '\\n' ' ' || :); "+
			"words+=$(kadmin.local -q listpols 2>/dev/null | grep -x zz && kadmin.local -q 'delpol -force zz' >/dev/null 2>&1 || :); "+
			"[ -n \"$words\" ] || words=\"none ${out: -200}\"; echo $words\n", k.taken, name, realmPassword(i))
	}
	lines := strings.Split(r.Run(b.String()+"drop kadmind; drop kdc\n"), "\n")
	for _, e := range estates {
		said := e.facts("")
		for i, name := range k.names {
			line := lines[i]
			if strings.Contains(line, "initializing") {
				continue
			}
			c.hold(name, "power over others, policies or keys", said[name]["privileged"], !strings.HasPrefix(line, "none"),
				line, strings.ReplaceAll(r.Read("etc/krb5kdc/kadm5.acl"), "\n", "|"))
		}
	}
}

// candidates has the password set to each of them.
func (k *realm) candidates(r *livetest.Root, c *tally, e *estate) {
	all := append(invented(k.random, 297, 9, "cand", "quill", "harbour"), "cand", "CAND", "harbour")
	var b strings.Builder
	for _, p := range all {
		fmt.Fprintf(&b, "cpw -pw \"%s\" cand\n", p)
	}
	r.Write("tmp/candidates", b.String())
	out := r.Run(clocked + fmt.Sprintf("clock %d; kadmin.local < /tmp/candidates 2>&1 | grep -vE '^(kadmin|Authent)'\n", k.taken))
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if len(lines) != len(all) {
		r.Fatal(fmt.Errorf("%d answers to %d candidates: %.400s", len(lines), len(all), out))
	}
	for i, said := range e.verdicts("cand", realmPassword(0), all) {
		c.hold("cand", "the password is accepted", said, strings.Contains(lines[i], "changed"), all[i], lines[i])
	}
}

// past has a principal go back to each of its old passwords.
func (k *realm) past(r *livetest.Root, c *tally, e *estate) {
	barred := 0
	fmt.Sscan(e.setting("past", "history"), &barred)
	for i := range 6 {
		out, _ := r.Try(clocked + fmt.Sprintf("clock %d; rm -rf /var/lib/krb5kdc; cp -a /root/db /var/lib/krb5kdc; "+
			"kadmin.local -q 'cpw -pw %s last' 2>&1", k.taken, old(i)))
		c.hold("last", "an old password is accepted", facts.TriOf(5-i >= barred), strings.Contains(out, "changed"),
			fmt.Sprintf("history %d, %d before the present one", barred, 6-i))
	}
}
