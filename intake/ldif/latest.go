package ldif

import (
	"strings"
	"sync/atomic"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/stamp"
)

// Latest is the latest of some stamps of a server. It is kept from several sides at the
// same time.
type Latest struct {
	second atomic.Int64           // since 1970
	stamp  atomic.Pointer[string] // the latest that is written as servers do, "20261123060000Z"; nil before the first
}

// See takes in the stamps that some attributes of an entry are, named in small letters.
func (l *Latest) See(x *Entry, names ...string) {
	for _, name := range names {
		written := x.Text(name)
		usual := len(written) == len("20261123060000Z") && written[len(written)-1] == 'Z'
		if latest := l.stamp.Load(); usual && latest != nil && written <= *latest {
			continue // whether it is a stamp or not
		}
		if at, ok := stamp.Generalized(written); ok {
			if usual {
				kept := strings.Clone(written)
				l.stamp.Store(&kept) // of two at the same time either will do
			}
			for old := l.second.Load(); at.Unix() > old && !l.second.CompareAndSwap(old, at.Unix()); old = l.second.Load() {
			}
		}
	}
}

// Moment is the latest stamp; false where there was none.
func (l *Latest) Moment() (time.Time, bool) {
	second := l.second.Load()
	return time.Unix(second, 0).UTC(), second > 0
}

// Moment is that of a stamp of a directory. It is unknown for what is none, which is not
// as if none stood there: that is asked of the text.
func Moment(text string) facts.Moment {
	at, ok := stamp.Generalized(text)
	if !ok {
		return facts.Moment{}
	}
	return facts.At(at)
}
