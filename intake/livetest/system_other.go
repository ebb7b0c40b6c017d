//go:build !unix || solaris || aix

package livetest

import (
	"errors"
	"os"
)

var errNoReleases = errors.New("releases of Debian can be made on Linux only")

func exclusive(*os.File) error { return errNoReleases }

func kill(int) error { return errNoReleases }
