package livetest

import (
	"os"
	"strconv"
	"strings"
)

// Seeds are those that YEWCONE_SEEDS names, as a count from 0 on (24) or from a first
// one on (24+8); else the first of them, as many as usual.
func Seeds(usual uint64) (list []uint64) {
	first, count := uint64(0), usual
	from, many, apart := strings.Cut(os.Getenv("YEWCONE_SEEDS"), "+")
	if !apart {
		from, many = "0", from
	}
	if n, err := strconv.ParseUint(many, 10, 64); err == nil {
		count = n
		first, _ = strconv.ParseUint(from, 10, 64)
	}
	for i := range count {
		list = append(list, first+i)
	}
	return list
}
