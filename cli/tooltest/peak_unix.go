//go:build !windows

package tooltest

import (
	"os"
	"runtime"
	"syscall"
)

// Peak is the most memory that a program took that has ended, in KB; false where the
// system does not tell.
func Peak(ended *os.ProcessState) (int64, bool) {
	usage, ok := ended.SysUsage().(*syscall.Rusage)
	if !ok {
		return 0, false
	}
	if runtime.GOOS == "darwin" { // which counts bytes
		return usage.Maxrss >> 10, true
	}
	return usage.Maxrss, true
}
