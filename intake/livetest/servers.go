package livetest

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// Need skips the test where no live systems are wanted, and fails it where a program
// is not installed.
func Need(t *testing.T, programs ...string) {
	t.Helper()
	Skip(t)
	for _, p := range programs {
		if _, err := exec.LookPath(p); err != nil {
			t.Fatalf("%s is not installed", p)
		}
	}
}

// Shell runs commands in a folder and returns what they print.
func Shell(t *testing.T, folder, script string) string {
	t.Helper()
	c := exec.Command("bash", "-euo", "pipefail", "-c", script)
	c.Dir = folder
	out, err := c.CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s\n%s", err, script, out)
	}
	return string(out)
}

// Serve starts a server and stops it when the test ends.
func Serve(t *testing.T, ready func() bool, name string, args ...string) {
	t.Helper()
	c := exec.Command(name, args...)
	log, err := os.Create(filepath.Join(t.TempDir(), "log"))
	if err != nil {
		t.Fatal(err)
	}
	c.Stdout, c.Stderr = log, log
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = c.Process.Signal(os.Interrupt)
		done := make(chan struct{})
		go func() { _ = c.Wait(); close(done) }()
		select {
		case <-done:
		case <-time.After(10 * time.Second):
			_ = c.Process.Kill()
			<-done
		}
	})
	for range 900 {
		if ready() {
			return
		}
		time.Sleep(200 * time.Millisecond)
	}
	text, _ := os.ReadFile(log.Name())
	t.Fatalf("%s does not answer\n%s", name, text)
}

// OpenFolder is a temporary folder that servers of other users may write in, with a
// short path, as sockets need.
func OpenFolder(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "yc")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o777); err != nil {
		t.Fatal(err)
	}
	return folder
}

// FreePort is a port of this host that nobody listens on.
func FreePort(t *testing.T) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

// PostgreSQL makes a server's data in a folder, and starts it with a socket there.
func PostgreSQL(t *testing.T, folder string, port int, options ...string) {
	t.Helper()
	initdb, err := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if err != nil || len(initdb) == 0 {
		t.Fatal("no initdb")
	}
	bin := filepath.Dir(initdb[len(initdb)-1])
	as := "setpriv --reuid=postgres --regid=postgres --clear-groups "
	Shell(t, folder, as+bin+"/initdb -D "+folder+"/data -A trust -U postgres >/dev/null")
	Serve(t, func() bool {
		return exec.Command("psql", "-h", folder, "-p", fmt.Sprint(port), "-U", "postgres", "-c", "SELECT 1").Run() == nil
	}, "setpriv", append([]string{"--reuid=postgres", "--regid=postgres", "--clear-groups", bin + "/postgres", "-D", folder + "/data", "-k", folder,
		"-p", fmt.Sprint(port)}, options...)...)
}

// ClickHouse starts as many servers as are wanted, on this host, as the shards of a
// cluster "two", and returns their ports.
func ClickHouse(t *testing.T, shards int) []int {
	t.Helper()
	var ports []int
	var cluster strings.Builder
	for range shards {
		port := FreePort(t)
		ports = append(ports, port)
		fmt.Fprintf(&cluster, "<shard><replica><host>127.0.0.1</host><port>%d</port></replica></shard>", port)
	}
	for _, port := range ports {
		folder := OpenFolder(t)
		config := fmt.Sprintf(`<yandex><logger><level>warning</level><log>%[1]s/log</log><errorlog>%[1]s/err</errorlog></logger>
<tcp_port>%[2]d</tcp_port><http_port>%[3]d</http_port><interserver_http_port>%[4]d</interserver_http_port><listen_host>127.0.0.1</listen_host>
<path>%[1]s/data/</path><tmp_path>%[1]s/tmp/</tmp_path><users_config>%[1]s/users.xml</users_config><default_profile>default</default_profile>
<default_database>default</default_database><mark_cache_size>10000000</mark_cache_size><timezone>UTC</timezone>
<remote_servers><two>%[5]s</two></remote_servers></yandex>`, folder, port, FreePort(t), FreePort(t), cluster.String())
		users := `<yandex><profiles><default></default></profiles><users><default><password></password><networks><ip>::/0</ip></networks>
<profile>default</profile><quota>default</quota></default><reader><password>ebb-and-flow-9</password><networks><ip>::/0</ip></networks>
<profile>default</profile><quota>default</quota></reader></users><quotas><default></default></quotas></yandex>`
		for name, text := range map[string]string{"config.xml": config, "users.xml": users} {
			if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		Serve(t, func() bool {
			return exec.Command("clickhouse-client", "--port", fmt.Sprint(port), "-q", "SELECT 1").Run() == nil
		}, "setpriv", "--reuid=clickhouse", "--regid=clickhouse", "--clear-groups", "clickhouse-server", "--config-file="+folder+"/config.xml")
	}
	return ports
}
