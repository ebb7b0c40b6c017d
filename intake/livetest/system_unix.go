//go:build unix && !solaris && !aix

package livetest

import (
	"os"
	"syscall"
)

// exclusive waits until no other process holds the file.
func exclusive(f *os.File) error { return syscall.Flock(int(f.Fd()), syscall.LOCK_EX) }

func kill(pid int) error { return syscall.Kill(pid, syscall.SIGKILL) }
