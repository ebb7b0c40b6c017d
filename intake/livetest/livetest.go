// Package livetest gives tests the releases of Debian that readers are held
// against: each a folder that debootstrap made once, in which a test works on a
// copy of its own. Tests that use it run where YEWCONE_LIVE is set, as root.
package livetest

import (
	"bytes"
	"context"
	"crypto/sha256"
	"debug/elf"
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"
)

// Releases are the releases that readers are held against.
var Releases = []string{"bookworm", "trixie"}

// packages are what tests ask of a release, beside its smallest set.
const packages = "passwd login libpam-modules libpam-runtime libpam-pwquality libpwquality-tools cracklib-runtime sudo pamtester " +
	"libfaketime mariadb-server mariadb-plugin-cracklib-password-check postgresql procps openssh-server openssh-client " +
	"krb5-kdc krb5-admin-server krb5-user slapd slapd-contrib ldap-utils 389-ds-base python3-lib389 " +
	"samba samba-ad-dc samba-ad-provision samba-dsdb-modules samba-vfs-modules winbind ldb-tools python3-samba"

// Skip skips the test where no live systems are wanted.
func Skip(t *testing.T) {
	t.Helper()
	if os.Getenv("YEWCONE_LIVE") == "" {
		t.Skip("YEWCONE_LIVE is not set")
	}
}

// A Root is a copy of a release for one test.
type Root struct {
	t       *testing.T
	Release string
	Folder  string
	network string // a network of its own, where it has one
}

// Each runs a test on each release.
func Each(t *testing.T, test func(*testing.T, *Root)) {
	t.Helper()
	Skip(t)
	for _, release := range Releases {
		t.Run(release, func(t *testing.T) { test(t, Open(t, release)) })
	}
}

// Open returns a copy of a release, which ends with the test. The release
// itself is made in YEWCONE_ROOTS, or in the folder for temporary files, and
// stays.
func Open(t *testing.T, release string) *Root {
	t.Helper()
	base, err := made(release)
	if err != nil {
		t.Fatalf("debootstrap of %s: %v", release, err)
	}
	folder, err := os.MkdirTemp("", "yewcone-live-*")
	if err != nil {
		t.Fatal(err)
	}
	r := &Root{t: t, Release: release, Folder: filepath.Join(folder, "root")}
	t.Cleanup(func() {
		r.stop()
		_ = exec.Command("sh", "-c", "for i in 1 2 3 4 5; do umount -R '"+r.Folder+"' && break; sleep 1; done; umount "+
			"'"+folder+"/own'; [ ! -e '"+folder+"/network' ] || umount '"+folder+"/network'").Run()
		mounts, err := os.ReadFile("/proc/self/mounts")
		if err != nil || strings.Contains(string(mounts), folder) {
			t.Errorf("%s is still mounted and stays: %v", folder, err)
			return // below it lie this machine's own devices
		}
		os.RemoveAll(folder)
	})
	out, err := exec.Command("sh", "-ec", `cd "$1"; mkdir own root; mount -t tmpfs none own; chmod 755 . own; mkdir own/upper own/work
		mount -t overlay overlay -o "lowerdir=$2,upperdir=$1/own/upper,workdir=$1/own/work" root
		mount -t proc none root/proc; mount --bind /dev root/dev; mount -t tmpfs none root/dev/shm; mount -t tmpfs none root/tmp; chmod 1777 root/tmp`, "-", folder, base).CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	// Nothing asks a name server, which would take seconds where none answers.
	host, err := os.Hostname()
	if err != nil {
		t.Fatal(err)
	}
	r.Write("etc/hosts", "127.0.0.1 localhost "+host+"\n")
	r.Write("etc/resolv.conf", "")
	return r
}

// Alone gives the release a network of its own, so that several servers can
// listen at one port. A test can then reach them by scripts only.
func (r *Root) Alone() {
	r.t.Helper()
	r.network = filepath.Join(filepath.Dir(r.Folder), "network")
	if out, err := exec.Command("sh", "-ec", `: > "$1"; unshare "--net=$1" ip link set lo up`, "-", r.network).CombinedOutput(); err != nil {
		r.t.Fatalf("%v: %s", err, out)
	}
}

// Once makes a folder of the release with a script, the first time that anybody
// asks for it under a name, and unpacks what was made every other time. It is
// kept beside the releases.
func (r *Root) Once(name, folder, script string) {
	r.t.Helper()
	kept := filepath.Join(rootsFolder(), r.Release+"-"+name+".tar")
	lock, err := os.Create(kept + ".lock")
	if err != nil {
		r.t.Fatal(err)
	}
	defer lock.Close()
	if err := exclusive(lock); err != nil {
		r.t.Fatal(err)
	}
	sum := fmt.Sprintf("%x", sha256.Sum256([]byte(packages+script)))
	if made, err := os.ReadFile(kept + ".of"); err == nil && string(made) == sum {
		if out, err := exec.Command("tar", "-xf", kept, "-C", r.Folder).CombinedOutput(); err != nil {
			r.t.Fatalf("%v: %s", err, out)
		}
		return
	}
	r.Run(script)
	if out, err := exec.Command("tar", "-cf", kept, "-C", r.Folder, folder).CombinedOutput(); err != nil {
		r.t.Fatalf("%v: %s", err, out)
	}
	if err := os.WriteFile(kept+".of", []byte(sum), 0o644); err != nil {
		r.t.Fatal(err)
	}
}

// rootsFolder is where releases are kept.
func rootsFolder() string {
	if roots := os.Getenv("YEWCONE_ROOTS"); roots != "" {
		return roots
	}
	return filepath.Join(os.TempDir(), "yewcone-roots")
}

// stop ends all processes that are still in the release.
func (r *Root) stop() {
	for range 50 {
		roots, err := filepath.Glob("/proc/[0-9]*/root")
		if err != nil {
			return
		}
		left := 0
		for _, root := range roots {
			if to, err := os.Readlink(root); err == nil && to == r.Folder {
				left++
				if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(root))); err == nil {
					_ = kill(pid)
				}
			}
		}
		if left == 0 {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// made makes a release where it is not there yet; one test at a time.
func made(release string) (string, error) {
	roots := rootsFolder()
	if err := os.MkdirAll(roots, 0o755); err != nil {
		return "", err
	}
	lock, err := os.Create(filepath.Join(roots, release+".lock"))
	if err != nil {
		return "", err
	}
	defer lock.Close()
	if err := exclusive(lock); err != nil {
		return "", err
	}
	folder := filepath.Join(roots, release)
	whole := filepath.Join(folder, ".whole")
	if made, err := os.ReadFile(whole); err == nil && string(made) == packages {
		return folder, nil
	}
	os.RemoveAll(folder)
	for _, c := range []*exec.Cmd{
		exec.Command("debootstrap", "--variant=minbase", release, folder),
		exec.Command("sh", "-ec", `printf '#!/bin/sh\nexit 101\n' > "$1/usr/sbin/policy-rc.d"; chmod 755 "$1/usr/sbin/policy-rc.d"
			chroot "$1" apt-get update -qq
			DEBIAN_FRONTEND=noninteractive chroot "$1" apt-get install -y -qq --no-install-recommends $2
			chroot "$1" apt-get clean`, "-", folder, packages),
	} {
		if out, err := c.CombinedOutput(); err != nil {
			return "", errors.Join(err, errors.New(string(out[max(0, len(out)-2000):])))
		}
	}
	if err := bindOwn(filepath.Join(folder, clockLibrary)); err != nil {
		return "", err
	}
	return folder, os.WriteFile(whole, []byte(packages), 0o644)
}

// clockLibrary is what a release's programs take their time from.
const clockLibrary = "usr/lib/x86_64-linux-gnu/faketime/libfaketime.so.1"

// bindOwn makes a library call its own functions where a program has others of
// the same names (read_config_file, of slapd and of libfaketime): it sets
// DF_SYMBOLIC among the flags of the dynamic section.
func bindOwn(path string) error {
	f, err := elf.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	section := f.SectionByType(elf.SHT_DYNAMIC)
	if section == nil {
		return fmt.Errorf("%s has no dynamic section", path)
	}
	entries, err := section.Data()
	if err != nil {
		return err
	}
	for at := 0; at+16 <= len(entries); at += 16 {
		if elf.DynTag(f.ByteOrder.Uint64(entries[at:])) != elf.DT_FLAGS {
			continue
		}
		flags := f.ByteOrder.Uint64(entries[at+8:]) | uint64(elf.DF_SYMBOLIC)
		w, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			return err
		}
		_, err = w.WriteAt(binary.LittleEndian.AppendUint64(nil, flags), int64(section.Offset)+int64(at)+8)
		return errors.Join(err, w.Close())
	}
	return fmt.Errorf("%s has no flags in its dynamic section", path)
}

// Fatal ends the test.
func (r *Root) Fatal(err error) {
	r.t.Helper()
	r.t.Fatal(err)
}

// Cleanup does something when the test ends.
func (r *Root) Cleanup(f func()) { r.t.Cleanup(f) }

// Port is a port of the release's own: some digits and one more.
func (r *Root) Port(digits string) string {
	for i, release := range Releases {
		if release == r.Release {
			digits += string(rune('0' + i))
		}
	}
	return digits
}

// Path returns where a file of the release lies on this machine.
func (r *Root) Path(name string) string { return filepath.Join(r.Folder, name) }

// Write puts a file into the release.
func (r *Root) Write(name, text string) {
	r.t.Helper()
	if err := os.MkdirAll(filepath.Dir(r.Path(name)), 0o755); err != nil {
		r.t.Fatal(err)
	}
	if err := os.WriteFile(r.Path(name), []byte(text), 0o644); err != nil {
		r.t.Fatal(err)
	}
}

// Read returns what a file of the release holds.
func (r *Root) Read(name string) string {
	r.t.Helper()
	data, err := os.ReadFile(r.Path(name))
	if err != nil {
		r.t.Fatal(err)
	}
	return string(data)
}

// longest bounds one script.
const longest = 10 * time.Minute

// Try runs a script with bash inside the release and returns what it prints.
func (r *Root) Try(script string) (string, error) {
	ctx, cancel := context.WithTimeout(context.Background(), longest)
	defer cancel()
	if err := os.WriteFile(r.Path("tmp/script"), []byte(script), 0o700); err != nil {
		return "", err
	}
	command := []string{"chroot", r.Folder, "/bin/bash", "/tmp/script"}
	if r.network != "" {
		command = append([]string{"nsenter", "--net=" + r.network}, command...)
	}
	c := exec.CommandContext(ctx, command[0], command[1:]...)
	c.Env = []string{"PATH=/usr/sbin:/usr/bin:/sbin:/bin", "TZ=UTC", "LC_ALL=C", "HOME=/root", "FAKETIME_DISABLE_SHM=1",
		"LDB_MODULES_DISABLE_DEEPBIND=1"} // by which modules of Samba would take the time from elsewhere
	c.WaitDelay = time.Second
	var out bytes.Buffer
	c.Stdout, c.Stderr = &out, &out
	err := c.Run()
	return out.String(), err
}

// Run is Try of a script that must end well.
func (r *Root) Run(script string) string {
	r.t.Helper()
	out, err := r.Try("set -eu -o pipefail\n" + script)
	if err != nil {
		r.t.Fatalf("%s: %v\n%s\n%s", r.Release, err, script[:min(len(script), 600)], out[max(0, len(out)-3000):])
	}
	return out
}

// Clock sets the clock of all programs that start in the release from now on:
// to a moment such as 2026-11-23 06:00:00, at which it stands still, or with an
// at sign before it and a rate such as x1000 behind, from which it runs.
func (r *Root) Clock(moment string) {
	r.t.Helper()
	r.Write("etc/faketimerc", moment+"\n")
	r.Write("etc/ld.so.preload", "/"+clockLibrary+"\n")
}
