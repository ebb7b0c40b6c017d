package take

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// exchange puts a folder in the place of another, at one stroke where the file
// system can.
func exchange(work, path string) error {
	err := unix.Renameat2(unix.AT_FDCWD, work, unix.AT_FDCWD, path, unix.RENAME_EXCHANGE)
	if errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EINVAL) {
		return replace(work, path)
	}
	if err != nil {
		return &os.LinkError{Op: "rename", Old: work, New: path, Err: err}
	}
	return nil
}
