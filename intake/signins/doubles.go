package signins

import (
	"hash/maphash"

	"yewcone/core/facts"
)

// part is one file of a record.
type part struct {
	name, path string
	first      int64 // the moment of its first line
}

// doubles finds lines that stand in two files, since a copy was taken twice or
// two rotations overlap. A line that comes twice in one file is two events.
type doubles struct {
	seed   maphash.Seed
	from   int64            // lines from here on may stand in a later file too
	before map[uint64]int32 // how often each line stood in files before
	now    map[uint64]int32 // and in the file at hand
	left   int              // lines that were left out
	full   bool
}

// mostDoubles bounds how many different lines are remembered.
const mostDoubles = 1 << 20

// begin starts a file, after which others come.
func (d *doubles) begin(later []part) {
	if d.now != nil {
		if d.before == nil {
			d.before = map[uint64]int32{}
		}
		for line, n := range d.now {
			d.before[line] = max(d.before[line], n)
		}
	} else {
		d.seed = maphash.MakeSeed()
	}
	d.now = map[uint64]int32{}
	d.from = 1<<63 - 1
	if len(later) > 0 {
		d.from = later[0].first
	}
}

// seen reports whether a line stood in a file before, and not yet in this one.
func (d *doubles) seen(at int64, rest []byte) bool {
	if at < d.from && len(d.before) == 0 {
		return false
	}
	var h maphash.Hash
	h.SetSeed(d.seed)
	_, _ = h.Write(rest)
	key := h.Sum64() ^ uint64(at)*0x9e3779b97f4a7c15
	if len(d.now) >= mostDoubles || len(d.before) >= mostDoubles {
		d.full = true
		return false
	}
	d.now[key]++
	if d.now[key] <= d.before[key] {
		d.left++
		return true
	}
	return false
}

// tell notes what was left out.
func (d *doubles) tell(notes *facts.Notes) {
	if d.left > 0 {
		notes.Remark(facts.Origin{}, "%d sign-ins stand in more than one file of the record, and count once", d.left)
	}
	if d.full {
		notes.Remark(facts.Origin{}, "files of the record overlap by more than %d sign-ins; those that stand in two of them may count twice", mostDoubles)
	}
}
