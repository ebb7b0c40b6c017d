package signin

import "slices"

// Peaks are the most failures that were seen within 10, 30 and 60 minutes,
// counted to the second and including both ends.
type Peaks [3]int

var peakWindows = [3]int64{600e6, 1800e6, 3600e6}

// peak counts failures within the windows.
type peak struct {
	most [3]uint32
	n    uint16   // of few that are set
	few  [2]int64 // failures of the longest window, the oldest first
	more *recent  // in place of few, where there are more
	at   int64    // the last failure of the most within the shortest window
}

// recent are failures, of which those from a place on still count.
type recent struct {
	list []int64
	from int
}

// mostRecent bounds what is remembered of one name; beyond it peaks are at least
// what they say.
const mostRecent = 1 << 14

func (p *peak) add(at int64, times int) {
	oldest := at - peakWindows[2]
	var list []int64
	if p.more == nil {
		for p.n > 0 && p.few[0] < oldest {
			p.few[0] = p.few[1]
			p.n--
		}
		if int(p.n)+times <= len(p.few) {
			for range times {
				p.few[p.n] = at
				p.n++
			}
			list = p.few[:p.n]
		} else {
			p.more = &recent{list: slices.Clone(p.few[:p.n])}
		}
	}
	if r := p.more; r != nil {
		for r.from < len(r.list) && r.list[r.from] < oldest {
			r.from++
		}
		for range times {
			r.list = append(r.list, at)
		}
		r.from = max(r.from, len(r.list)-mostRecent)
		if r.from > len(r.list)/2 {
			r.list, r.from = append(r.list[:0], r.list[r.from:]...), 0
		}
		list = r.list[r.from:]
	}
	for i, w := range peakWindows {
		from := 0
		if list[0] < at-w {
			from, _ = slices.BinarySearch(list, at-w)
		}
		if n := uint32(len(list) - from); n > p.most[i] {
			if p.most[i] = n; i == 0 {
				p.at = at
			}
		}
	}
}

func (p *peak) peaks() Peaks { return Peaks{int(p.most[0]), int(p.most[1]), int(p.most[2])} }
