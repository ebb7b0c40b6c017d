//go:build !linux

package take

func exchange(work, path string) error { return replace(work, path) }
