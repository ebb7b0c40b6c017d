package atomicfile

import (
	"errors"
	"syscall"
)

// inUse reports whether a file cannot be replaced since another program has it open.
func inUse(err error) bool {
	const accessDenied, sharingViolation = syscall.Errno(5), syscall.Errno(32)
	return errors.Is(err, sharingViolation) || errors.Is(err, accessDenied)
}
