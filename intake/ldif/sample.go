package ldif

import (
	"container/heap"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
)

// MostSampled is to how many entries a rule of access is tried at most.
const MostSampled = 5000

// A Sample keeps the first of many distinguished names by the order in which they would
// stand as they are written, so that the same export gives the same list. It is filled
// from several sides at the same time.
type Sample struct {
	mutex sync.Mutex
	names lastFirst
	last  atomic.Pointer[string] // where there are enough, the last of them
}

// Add adds a name, unless there are enough before it. It is copied.
func (s *Sample) Add(dn string) {
	if last := s.last.Load(); last != nil && dn >= *last {
		return
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	heap.Push(&s.names, strings.Clone(dn))
	if len(s.names) > MostSampled {
		heap.Pop(&s.names)
	}
	if len(s.names) == MostSampled {
		last := s.names[0]
		s.last.Store(&last)
	}
}

// Names are those that were kept, in normal form.
func (s *Sample) Names() []string {
	slices.Sort(s.names)
	names := make([]string, len(s.names))
	for i, dn := range s.names {
		names[i] = NormalDN(dn)
	}
	return names
}

// lastFirst is a heap of names of which the last comes first.
type lastFirst []string

func (l lastFirst) Len() int           { return len(l) }
func (l lastFirst) Less(i, j int) bool { return l[i] > l[j] }
func (l lastFirst) Swap(i, j int)      { l[i], l[j] = l[j], l[i] }
func (l *lastFirst) Push(name any)     { *l = append(*l, name.(string)) }

func (l *lastFirst) Pop() any {
	n := len(*l) - 1
	name := (*l)[n]
	*l = (*l)[:n]
	return name
}
