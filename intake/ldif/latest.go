package ldif

import (
	"sync/atomic"
	"time"

	"yewcone/core/facts"
	"yewcone/intake/stamp"
)

// Latest is the latest of some stamps of a server. It is kept from several sides at the
// same time.
type Latest struct{ second atomic.Int64 } // since 1970

// See takes in the stamps that some attributes of an entry are, named in small letters.
func (l *Latest) See(x *Entry, names ...string) {
	for _, name := range names {
		if at, ok := stamp.Generalized(x.Text(name)); ok {
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
