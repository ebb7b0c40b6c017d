package oracle

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yewcone/cli/tooltest"
	"yewcone/intake/livetest"
)

// remedies carries what is printed out on a server of each release, and back:
// begin starts one and returns the commands that take its export, and the
// command that takes lines from a file.
func remedies(t *testing.T, format, files string, begin func(r *livetest.Root) (take, apply string)) {
	livetest.Skip(t)
	t.Parallel()
	for _, release := range livetest.Releases {
		t.Run(release, func(t *testing.T) {
			t.Parallel()
			r := livetest.Open(t, release)
			r.Alone()
			take, apply := begin(r)
			r.Write("tmp/take", take)
			tooltest.MendLive(t, "export: {read: "+format+", from: ["+files+"], view: whole}", func(x string) {
				r.Run(clocked + "rm -rf /root/export; mkdir /root/export; cd /root/export; bash -eu /tmp/take 2>&1\n")
				if err := os.CopyFS(x+".new", os.DirFS(r.Path("root/export"))); err != nil {
					t.Fatal(err)
				}
				if err := os.RemoveAll(x); err != nil {
					t.Fatal(err)
				}
				if err := os.Rename(x+".new", x); err != nil {
					t.Fatal(err)
				}
			}, func(language, lines string) {
				r.Write("tmp/lines", lines)
				if language == "shell" {
					r.Run(clocked + ". /tmp/lines 2>&1\n")
					return
				}
				r.Run(clocked + apply + " 2>&1\n")
			})
		})
	}
}

// TestLiveRemedyOf389: LDIF as printed for ldapmodify, of the server's rules and
// of local ones, and back.
func TestLiveRemedyOf389(t *testing.T) {
	remedies(t, "389-directory", "x/config.ldif, x/directory.ldif", func(r *livetest.Root) (string, string) {
		d := &ds389{random: rand.New(rand.NewPCG(3, 17)), taken: time.Date(2026, 11, 22, 6, 0, 0, 0, time.UTC).Unix()}
		d.start(r)
		for i, under := range []string{"", "ou=deck,", "ou=office,", ""} {
			name := pick2(i < 3, fmt.Sprintf("d%02d", i), "guest")
			d.modify(-100*day, "dn: uid="+name+","+under+quay+"\nchangetype: add\nobjectClass: inetOrgPerson\nuid: "+name+"\ncn: "+name+
				"\nsn: "+name+"\nuserPassword: "+realmPassword(i)+"\n")
		}
		r.Run(clocked + d.again() + "exec 2>&1\necho +0 > /etc/faketimerc\n" + fmt.Sprintf("clock %d; begin\n", d.taken-150*day) +
			history(d.events) + fmt.Sprintf("clock %d\n", d.taken))
		return strings.NewReplacer("ldap://SERVER", d.url, "BINDDN", "cn=Directory Manager", "-W", "-w Root+Flow-1", "SUFFIX", quay).
			Replace(how(t, "389-directory", ":\n")), "ldapmodify -H " + d.url + " " + managerOf389 + " -f /tmp/lines"
	})
}

// TestLiveRemedyOfSamba: LDIF as printed for ldbmodify, of the domain and of its
// settings objects, and back.
func TestLiveRemedyOfSamba(t *testing.T) {
	remedies(t, "samba", "x/domain.ldif, x/pso.ldif, x/accounts.ldif, x/units.ldif", func(r *livetest.Root) (string, string) {
		d := &domain{random: rand.New(rand.NewPCG(3, 17)), taken: time.Date(2026, 11, 22, 6, 0, 0, 0, time.UTC).Unix()}
		d.start(r)
		d.step(-100*day, "db.newuser('m00', %q)", realmPassword(0))
		d.step(-100*day, "db.newuser('m01', %q); db.add_remove_group_members('crew', ['m01'], add_members_operation=True)", realmPassword(1))
		d.step(-100*day, "db.newuser('visitor', %q)", realmPassword(2))
		d.step(-100*day, "mod('CN=candidates,CN=Password Settings Container,CN=System,' + BASE, 'msDS-PSOAppliesTo', dn('m00'))")
		d.live(r)
		return strings.ReplaceAll(how(t, "samba", ":\n"), "DOMAINDN", domainDN), "ldbmodify -H /var/lib/samba/private/sam.ldb /tmp/lines"
	})
}

// TestLiveRemedyOfHosts: what is typed for accounts of hosts, one by one, and
// back.
func TestLiveRemedyOfHosts(t *testing.T) {
	livetest.Each(t, func(t *testing.T, r *livetest.Root) {
		r.Run(`useradd -m ada; useradd -m bo; useradd -m cy; useradd -m guest; echo guest:Ebb+Flow-4 | chpasswd; useradd -r svc
printf 'ada:Ebb+Flow-1\nbo:Ebb+Flow-2\n' | chpasswd; passwd -d cy
chage -d 2026-01-01 -M 30 ada; chage -d 2026-11-01 -M 400 bo`)
		folder := t.TempDir()
		for name, text := range map[string]string{"rules/live.yaml": tooltest.LiveRules,
			"estate.yaml": "estate: Live\nas_of: 2026-11-23\nsystems:\n  live: {rules: live, export: {read: linux, from: x}}\n"} {
			if err := os.MkdirAll(filepath.Join(folder, filepath.Dir(name)), 0o755); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		take := func() {
			x := filepath.Join(folder, "x")
			if err := os.RemoveAll(x); err != nil {
				t.Fatal(err)
			}
			for _, f := range []string{"etc/passwd", "etc/shadow", "etc/group", "etc/login.defs", "etc/pam.d", "etc/security"} {
				to := filepath.Join(x, f)
				if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
					t.Fatal(err)
				}
				if out, err := exec.Command("cp", "-r", r.Path(f), to).CombinedOutput(); err != nil {
					t.Fatalf("%v: %s", err, out)
				}
			}
		}
		take()
		tooltest.MendAccounts(t, folder, "live", func(_ string, lines []string) {
			r.Run(strings.Join(lines, "\n") + "\n")
			take()
		})
	})
}
