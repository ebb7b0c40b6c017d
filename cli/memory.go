package cli

import (
	"fmt"
	"io"
	"math"
	"os"
	"runtime/debug"
	"runtime/metrics"
	"sync"
	"sync/atomic"
	"time"

	"yewcone/intake/text"
	"yewcone/output/atomicfile"
	"yewcone/output/visible"
)

// What a run may take up where GOMEMLIMIT, which the runtime heeds, says nothing
// else: no export that anybody has needs as much, and what was made to exhaust a
// machine needs more than any has. Records of sign-ins name strangers, of whom a
// large one has a million.
const (
	mostMemory = 168 << 20
	forRecords = 64 << 20 // more
	forSystem  = 5 << 17  // more for each of many
)

// runtimeLimit is what GOMEMLIMIT says, in bytes.
var runtimeLimit int64

// memoryAllowed is what a run may take up, in bytes; 0 before it is known.
var memoryAllowed atomic.Int64

// allowMore lets a run take up more where nobody said how much, for what it reads.
func allowMore(bytes int64) {
	if most := memoryAllowed.Load(); math.MaxInt64 == runtimeLimit && most > 0 {
		limitMemory(most + bytes)
	}
}

// systemsAllowed is for how many systems more was allowed.
var systemsAllowed int

// allowSystems lets a run take up more for each of so many systems, however often it is
// told.
func allowSystems(n int) {
	if n > systemsAllowed {
		allowMore(forSystem * int64(n-systemsAllowed))
		systemsAllowed = n
	}
}

// limitMemory has the collector run as often as it takes from a part of it on.
func limitMemory(most int64) {
	memoryAllowed.Store(most)
	debug.SetMemoryLimit(most - most/8)
}

// How much garbage gathers before the collector runs. The runtime lets as much gather as is
// in use: little where the program holds a few megabytes, as it mostly does, and as much
// again where it holds many.
const (
	roomForGarbage = 12 << 20
	usualHeap      = 26 << 20 // with what is in use: where that is much, less gathers,
	leastRoom      = 6 << 20  // but so much
	usualPart      = 50       // in a hundred of what is in use, where that alone is more than usualHeap
	leastHeap      = 4 << 20  // so much counts as in use before the collector first looked
)

// garbagePart is the part of what is in use, in a hundred.
var garbagePart atomic.Int64

// pace sets when the collector runs next; what the environment says of it in GOGC is
// left as it is.
func pace(live int64) {
	if os.Getenv("GOGC") != "" {
		return
	}
	room := min(roomForGarbage, max(leastRoom, usualHeap-live))
	if live > usualHeap {
		room = max(roomForGarbage, live*garbagePart.Load()/100)
	}
	debug.SetGCPercent(int(room * 100 / max(live, leastHeap)))
}

// lookEvery is how often the memory is looked at.
const lookEvery = 2 * time.Millisecond

// boundMemory ends the program where it would take up more memory than it may,
// with an error that tells what was read then. The function it returns undoes
// that.
func boundMemory(stderr io.Writer) (undo func()) {
	runtimeLimit = debug.SetMemoryLimit(-1)
	most := runtimeLimit
	if most == math.MaxInt64 {
		most = mostMemory
	}
	limitMemory(most)
	garbagePart.Store(usualPart)
	pace(0)
	done := make(chan struct{})
	var one sync.Mutex // looks at a time
	paced := int64(0)
	look := func() {
		one.Lock()
		defer one.Unlock()
		taken, live := memory()
		if live != paced {
			paced = live
			pace(live)
		}
		most := memoryAllowed.Load()
		if taken < most {
			return
		}
		if live < most*3/4 {
			debug.FreeOSMemory() // the collector alone gives nothing back at once
			taken, _ = memory()
		}
		if taken >= most {
			atomicfile.Abandon()
			file := ""
			if latest := text.Latest(); latest != "" {
				file = visible.Text(latest) + ": "
			}
			fmt.Fprintf(stderr, "yewcone: %sreading this takes more than %d MB of memory; where the file is as long as it "+
				"should be, allow more with GOMEMLIMIT=1GiB in the environment\n", file, most>>20)
			os.Exit(ExitPartial)
		}
	}
	text.Heed = look // a busy machine calls a ticker late
	go func() {
		tick := time.NewTicker(lookEvery)
		defer tick.Stop()
		for {
			select {
			case <-done:
				return
			case <-tick.C:
				look()
			}
		}
	}()
	return func() { close(done) }
}

// memory is how many bytes the program has from the system, and how many of them
// were in use when the collector last looked.
func memory() (taken, live int64) {
	all := []metrics.Sample{{Name: "/memory/classes/total:bytes"}, {Name: "/memory/classes/heap/released:bytes"}, {Name: "/gc/heap/live:bytes"}}
	metrics.Read(all)
	return int64(all[0].Value.Uint64() - all[1].Value.Uint64()), int64(all[2].Value.Uint64())
}
