// Package inorder takes what was made side by side in the order in which it was begun.
// Whoever brings what comes next takes it, and all that waited for it: somebody who waited
// for them all would keep processors idle while they are woken.
package inorder

import "sync"

// A Line is things that come in any order, by their turns from 0 on.
type Line[T any] struct {
	// Take takes one thing. It is called for one at a time, in their order.
	Take func(T)

	mutex   sync.Mutex
	waiting map[int]T
	turn    int
}

// Bring brings the thing whose turn is given, and returns how many were taken for it.
func (l *Line[T]) Bring(turn int, thing T) (taken int) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if turn != l.turn {
		if l.waiting == nil {
			l.waiting = map[int]T{}
		}
		l.waiting[turn] = thing
		return 0
	}
	for ok := true; ok; thing, ok = l.waiting[l.turn] {
		delete(l.waiting, l.turn)
		l.turn++
		taken++
		l.Take(thing)
	}
	return taken
}
