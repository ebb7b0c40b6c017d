package ldif

import (
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
	list  []string
	last  atomic.Pointer[string] // where it is full, the last name that still counts
}

// Add adds a name, unless there are enough before it. It is copied.
func (s *Sample) Add(dn string) {
	if last := s.last.Load(); last != nil && dn >= *last {
		return
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.list = append(s.list, strings.Clone(dn)); len(s.list) == 2*MostSampled {
		s.settle()
	}
}

func (s *Sample) settle() {
	slices.Sort(s.list)
	if len(s.list) > MostSampled {
		s.list = s.list[:MostSampled]
		last := s.list[MostSampled-1]
		s.last.Store(&last)
	}
}

// Names are those that were kept, in normal form.
func (s *Sample) Names() []string {
	s.settle()
	names := make([]string, len(s.list))
	for i, dn := range s.list {
		names[i] = NormalDN(dn)
	}
	return names
}
