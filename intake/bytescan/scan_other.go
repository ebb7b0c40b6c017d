//go:build !amd64

package bytescan

const vectors = false

func mark(*uint64, *byte, int, byte) {}

func odd(*byte, int) (first, low int) { return -1, -1 }

func places(*uint32, *byte, int, uint32, byte, byte) int { return 0 }

func frame(*byte, int, int, *part, int, int, *Span) (done, end int, met uint64, short bool) {
	return 0, 0, 0, true
}
