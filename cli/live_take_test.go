package cli

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/json"
	"encoding/pem"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"
)

// certificate makes one for a host that signs itself.
func certificate(t *testing.T, folder, name, host string) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	template := x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: host}, DNSNames: []string{host},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true,
		KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	der, err := x509.CreateCertificate(rand.Reader, &template, &template, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	for ending, block := range map[string]*pem.Block{".pem": {Type: "CERTIFICATE", Bytes: der}, ".key": {Type: "PRIVATE KEY", Bytes: secret}} {
		if err := os.WriteFile(filepath.Join(folder, name+ending), pem.EncodeToMemory(block), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// told is what intake reads of the only system, without places: of accounts and of
// policies.
func told(t *testing.T, folder string) string {
	t.Helper()
	stdout, stderr, code := runTool(t, folder, "intake", "--format", "json")
	if code == ExitUsage {
		t.Fatalf("exit %d: %s", code, stderr)
	}
	var lines []string
	for line := range strings.Lines(stdout) {
		var node any
		if err := json.Unmarshal([]byte(line), &node); err != nil {
			t.Fatal(err)
		}
		if m, ok := node.(map[string]any); ok && (m["account"] != nil || m["policy"] != nil) {
			text, _ := json.Marshal(placeless(node))
			lines = append(lines, string(text))
		}
	}
	slices.Sort(lines)
	return strings.Join(lines, "\n")
}

func placeless(node any) any {
	switch n := node.(type) {
	case map[string]any:
		for key := range n {
			if key == "line" || key == "file" || key == "at" || key == "origin" || key == "from" {
				delete(n, key)
			} else {
				n[key] = placeless(n[key])
			}
		}
	case []any:
		for i := range n {
			n[i] = placeless(n[i])
		}
	}
	return node
}

// TestLiveTakeDirectory: a directory of more entries than a page, over LDAPS and
// StartTLS, comes as by hand; a certificate of another authority, no encryption and a
// wrong password are refused, the last without a second try.
func TestLiveTakeDirectory(t *testing.T) {
	live(t, "slapd", "slapadd", "ldapsearch")
	folder := openFolder(t)
	for _, sub := range []string{"db", "slapd.d"} {
		if err := os.Mkdir(filepath.Join(folder, sub), 0o700); err != nil {
			t.Fatal(err)
		}
	}
	certificate(t, folder, "server", "localhost")
	certificate(t, folder, "other", "localhost")
	config := fmt.Sprintf(strings.Replace(slapdConfig, "cn=default,dc", "cn=default,ou=policies,dc", 1), folder)
	config = strings.Replace(config, "pidfile", fmt.Sprintf("TLSCertificateFile %[1]s/server.pem\nTLSCertificateKeyFile %[1]s/server.key\nsizelimit size.soft=500 size.hard=500 size.prtotal=unlimited\npidfile", folder), 1)
	people := slapdPeople
	for i := range 1200 {
		people += fmt.Sprintf("dn: uid=hand%d,dc=marrowby,dc=example\nobjectClass: inetOrgPerson\nuid: hand%d\ncn: Hand %d\nsn:: w6FsaW5n\nuserPassword: below-deck-%d\n\n", i, i, i, i)
	}
	for name, text := range map[string]string{"slapd.conf": config, "people.ldif": people} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	plain, tls := fmt.Sprintf("ldap://localhost:%d", freePort(t)), fmt.Sprintf("ldaps://localhost:%d", freePort(t))
	shell(t, folder, "slaptest -f slapd.conf -F slapd.d >/dev/null 2>&1 || test -e slapd.d/cn=config.ldif; slapadd -q -F slapd.d -b dc=marrowby,dc=example -l people.ldif")
	serve(t, func() bool { return exec.Command("ldapsearch", "-x", "-H", plain, "-s", "base").Run() == nil },
		"slapd", "-d", "stats", "-F", folder+"/slapd.d", "-h", plain+" "+tls+" ldapi://"+url.PathEscape(folder+"/ldapi"))
	t.Setenv("DIRECTORY_PASSWORD", "manager-of-tests")
	t.Setenv("OLD_PASSWORD", "manager-of-yesterday")

	byHand := t.TempDir()
	shell(t, byHand, "ldapsearch -x -LLL -o ldif-wrap=no -E pr=500/noprompt -H "+plain+" -D cn=manager,dc=marrowby,dc=example -w manager-of-tests "+
		"-b dc=marrowby,dc=example '(objectClass=*)' '*' '+' > directory.ldif")
	if err := os.WriteFile(filepath.Join(byHand, "estate.yaml"), []byte("estate: Live\nas_of: 2026-11-29 06:00\nsystems:\n  crew:\n    export: {read: ldif, from: directory.ldif}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	want := told(t, byHand)
	if n := strings.Count(want, "\n"); n < 1200 {
		t.Fatalf("only %d accounts and policies by hand", n)
	}
	const manager = "user: \"cn=manager,dc=marrowby,dc=example\", base: [\"dc=marrowby,dc=example\"]"
	for _, c := range []struct {
		name, source, says string
		code               int
	}{
		{"LDAPS", fmt.Sprintf("{ask: ldap, address: %q, %s, secret: env DIRECTORY_PASSWORD, ca: %s/server.pem}", tls, manager, folder), "rows from", 0},
		{"StartTLS", fmt.Sprintf("{ask: ldap, address: %q, starttls: yes, %s, secret: env DIRECTORY_PASSWORD, ca: %s/server.pem}", plain, manager, folder), "rows from", 0},
		{"as who the connection is", fmt.Sprintf("{ask: ldap, address: \"ldapi://%s/ldapi\", external: yes, base: [\"dc=marrowby,dc=example\"]}", folder), "rows from", 0},
		{"another authority", fmt.Sprintf("{ask: ldap, address: %q, %s, secret: env DIRECTORY_PASSWORD, ca: %s/other.pem}", tls, manager, folder), "certificate is not accepted", 3},
		{"another authority, StartTLS", fmt.Sprintf("{ask: ldap, address: %q, starttls: yes, %s, secret: env DIRECTORY_PASSWORD, ca: %s/other.pem}", plain, manager, folder), "certificate is not accepted", 3},
		{"readable", fmt.Sprintf("{ask: ldap, address: %q, %s, secret: env DIRECTORY_PASSWORD}", plain, manager), "cross the network readable", 3},
		{"wrong password", fmt.Sprintf("{ask: ldap, address: %q, %s, secret: env OLD_PASSWORD, ca: %s/server.pem}", tls, manager, folder), "49 Invalid Credentials", 3},
	} {
		t.Run(c.name, func(t *testing.T) {
			estate := takeEstate(t, "{read: ldif, from: directory.ldif}", c.source)
			stdout, stderr, code := runTool(t, estate, "take")
			if said := strings.Join(strings.Fields(stdout+stderr), " "); code != c.code || !strings.Contains(said, c.says) {
				t.Fatalf("exit %d\n%s%s", code, stdout, stderr)
			}
			noSecret(t, estate, "manager-of-", stdout+stderr)
			if c.code != 0 {
				if _, err := os.Stat(filepath.Join(estate, "directory.ldif")); err == nil {
					t.Error("there is an export")
				}
				return
			}
			text := strings.Replace(readFile(t, filepath.Join(estate, "estate.yaml")), "systems:", "as_of: 2026-11-29 06:00\nsystems:", 1)
			text = strings.Replace(text, "  crew:\n", "  crew:\n    as_of: 2026-11-29 06:00\n", 1)
			if err := os.WriteFile(filepath.Join(estate, "estate.yaml"), []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
			if got := told(t, estate); got != want {
				a, b := strings.Split(want, "\n"), strings.Split(got, "\n")
				for i := range min(len(a), len(b)) {
					if a[i] != b[i] {
						t.Fatalf("by hand  %s\nby take  %s", a[i], b[i])
					}
				}
				t.Fatalf("by hand %d lines, by take %d", len(a), len(b))
			}
		})
	}
	keepsFormer(t, "{read: ldif, from: directory.ldif}", "directory.ldif", "tcp", strings.TrimPrefix(tls, "ldaps://"), func(port int) string {
		return fmt.Sprintf("{ask: ldap, address: \"ldaps://localhost:%d\", %s, secret: env DIRECTORY_PASSWORD, ca: %s/server.pem, patience: 2 seconds}", port, manager, folder)
	})
}

// cutting is a way to a server that breaks off after so many bytes of its answers; it
// returns its port.
func cutting(t *testing.T, network, server string, after int) int {
	t.Helper()
	l, err := net.Listen("tcp", "localhost:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer in.Close()
				out, err := net.Dial(network, server)
				if err != nil {
					return
				}
				defer out.Close()
				go func() { _, _ = io.Copy(out, in) }()
				_, _ = io.CopyN(in, out, int64(after))
			}()
		}
	}()
	return l.Addr().(*net.TCPAddr).Port
}

// keepsFormer: where the server goes away in its answers, the former export stays as it
// is, whole, and the run says so.
func keepsFormer(t *testing.T, export, file, network, server string, source func(port int) string) {
	t.Helper()
	for _, after := range []int{200, 3000, 9000, 16000} {
		t.Run(fmt.Sprintf("cut after %d bytes", after), func(t *testing.T) {
			t.Parallel()
			estate := takeEstate(t, export, source(cutting(t, network, server, after)))
			former := filepath.Join(estate, file)
			if err := os.MkdirAll(filepath.Dir(former), 0o700); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(former, []byte("the former export\n"), 0o600); err != nil {
				t.Fatal(err)
			}
			stdout, stderr, code := runTool(t, estate, "take")
			if code != 3 || readFile(t, former) != "the former export\n" {
				t.Errorf("exit %d\n%s%s", code, stdout, stderr)
			}
			if left, err := filepath.Glob(filepath.Join(estate, ".taking-*")); err != nil || len(left) > 0 {
				t.Errorf("%v is left", left)
			}
		})
	}
}

// sameFiles holds folders against each other, but for lines that name the connection.
func sameFiles(t *testing.T, byHand, taken string, but ...string) {
	t.Helper()
	list, err := os.ReadDir(byHand)
	if err != nil || len(list) == 0 {
		t.Fatal(err)
	}
	for _, entry := range list {
		if entry.Name() == "version.txt" { // it tells the moment
			continue
		}
		lines := func(folder string) []string {
			return slices.DeleteFunc(strings.Split(readFile(t, filepath.Join(folder, entry.Name())), "\n"), func(line string) bool {
				return slices.ContainsFunc(but, func(b string) bool { return strings.HasPrefix(line, b) })
			})
		}
		a, b := lines(byHand), lines(taken)
		if len(a) != len(b) {
			t.Errorf("%s: %d lines by hand, %d taken", entry.Name(), len(a), len(b))
		}
		for i := range min(len(a), len(b)) {
			if a[i] != b[i] {
				t.Errorf("%s:\nby hand  %s\nby take  %s", entry.Name(), a[i], b[i])
				break
			}
		}
	}
}

// TestLiveTakePostgreSQL: the files are those that the server's own client writes.
func TestLiveTakePostgreSQL(t *testing.T) {
	live(t, "psql", "setpriv")
	folder := openFolder(t)
	certificate(t, folder, "server", "localhost")
	shell(t, folder, "chown postgres server.key; chmod 600 server.key")
	port := freePort(t)
	startPostgreSQL(t, folder, port, "-c", "listen_addresses=localhost", "-c", "ssl=on", "-c", "ssl_cert_file="+folder+"/server.pem", "-c",
		"ssl_key_file="+folder+"/server.key")
	psql := fmt.Sprintf("psql() { command psql -h %s -p %d -U postgres -d postgres \"$@\"; }\n", folder, port)
	shell(t, folder, psql+`psql -q -c "CREATE ROLE tide LOGIN PASSWORD 'ebb-and-flow-9' VALID UNTIL '2020-01-01'" \
		-c "CREATE ROLE \"the \"\"odd\"\", one\" SUPERUSER LOGIN PASSWORD 'starboard-42-x'; GRANT \"the \"\"odd\"\", one\" TO tide; ALTER ROLE tide SET search_path = 'a', 'b'"
		sed -i '1i hostssl all tide 127.0.0.1/32 scram-sha-256\nhostssl all tide ::1/128 scram-sha-256' data/pg_hba.conf; command psql -h `+folder+fmt.Sprintf(" -p %d", port)+` -U postgres -qc "SELECT pg_reload_conf()" >/dev/null`)
	byHand := t.TempDir()
	shell(t, byHand, psql+"export PGOPTIONS='-c DateStyle=ISO -c TimeZone=UTC'\n"+how(t, "postgresql", "psql"))
	t.Setenv("OLD_PASSWORD", "ebb-and-flow-8")
	estate := takeEstate(t, "{read: postgresql, from: x}", fmt.Sprintf("{ask: postgresql, address: %q, user: postgres, ca: %s/server.pem}",
		fmt.Sprintf("postgres://localhost:%d/postgres?sslmode=verify-full", port), folder))
	stdout, stderr, code := runTool(t, estate, "take")
	if code != 0 {
		t.Fatalf("%s%s", stdout, stderr)
	}
	sameFiles(t, byHand, filepath.Join(estate, "x"), "application_name,", "client_encoding,", "extra_float_digits,", "transaction_", "default_transaction_", "tcp_", "ssl_", "DateStyle")
	estate = takeEstate(t, "{read: postgresql, from: x}", fmt.Sprintf("{ask: postgresql, address: %q, user: tide, secret: env OLD_PASSWORD, ca: %s/server.pem}",
		fmt.Sprintf("postgres://localhost:%d/postgres?sslmode=verify-full", port), folder))
	stdout, _, code = runTool(t, estate, "take")
	if code != 3 || !strings.Contains(stdout, "not tried") || strings.Contains(stdout, "ebb-and-flow") {
		t.Errorf("exit %d\n%s", code, stdout)
	}
	keepsFormer(t, "{read: postgresql, from: x}", "x/roles.csv", "tcp", fmt.Sprint("localhost:", port), func(port int) string {
		return fmt.Sprintf("{ask: postgresql, address: \"postgres://localhost:%d/postgres?sslmode=verify-full\", user: postgres, ca: %s/server.pem, patience: 2 seconds}", port, folder)
	})
}

// TestLiveTakeMariaDB: the files are those that the server's own client writes.
func TestLiveTakeMariaDB(t *testing.T) {
	live(t, "mariadbd", "mariadb", "mariadb-install-db")
	folder := openFolder(t)
	shell(t, folder, "mariadb-install-db --no-defaults --user=mysql --datadir="+folder+"/data --skip-test-db >/dev/null 2>&1")
	socket := folder + "/socket"
	client := "mariadb() { command mariadb --no-defaults -S " + socket + " -u root \"$@\"; }\n"
	serve(t, func() bool {
		return exec.Command("mariadb", "--no-defaults", "-S", socket, "-u", "root", "-e", "SELECT 1").Run() == nil
	}, "mariadbd", "--no-defaults", "--user=mysql", "--datadir="+folder+"/data", "--socket="+socket, "--skip-networking", "--pid-file="+folder+"/pid")
	shell(t, folder, client+`mariadb -e "CREATE USER guest@localhost IDENTIFIED BY 'Ebb-and-flow-6'; CREATE USER 'back\\\\slash'@localhost; CREATE ROLE crew; GRANT crew TO guest@localhost"`)
	byHand := t.TempDir()
	shell(t, byHand, client+how(t, "mariadb", "mariadb"))
	t.Setenv("OLD_PASSWORD", "ebb-and-flow-8")
	estate := takeEstate(t, "{read: mariadb, from: x}", fmt.Sprintf("{ask: mariadb, address: %q, user: root}", socket))
	stdout, stderr, code := runTool(t, estate, "take")
	if code != 0 {
		t.Fatalf("%s%s", stdout, stderr)
	}
	sameFiles(t, byHand, filepath.Join(estate, "x"), "timestamp\t", "last_insert_id", "insert_id", "gtid_", "identity", "error_count", "warning_count")
	estate = takeEstate(t, "{read: mariadb, from: x}", fmt.Sprintf("{ask: mariadb, address: %q, user: guest, secret: env OLD_PASSWORD}", socket))
	stdout, _, code = runTool(t, estate, "take")
	if code != 3 || !strings.Contains(stdout, "not tried") || strings.Contains(stdout, "ebb-and-flow") {
		t.Errorf("exit %d\n%s", code, stdout)
	}
	keepsFormer(t, "{read: mariadb, from: x}", "x/global_priv.tsv", "unix", socket, func(port int) string {
		return fmt.Sprintf("{ask: mariadb, address: \"localhost:%d\", user: root, patience: 2 seconds}", port)
	})
}
