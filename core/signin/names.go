package signin

import (
	"bytes"
	"encoding/binary"
	"sync"
	"yewcone/core/spool"
)

// Names give names numbers, each the same one every time. One goroutine may give
// numbers while others ask for the names of numbers that they were given.
type Names struct {
	mu    sync.RWMutex  // held while anything below is changed
	text  [][]byte      // pages of names, each behind its number and its length
	begin table[uint32] // where each begins: the page, and the place on it, from 1
	count int
	slots []slot // open addressing, of a power of two
}

// placeBits are those of a place on a page of names; a name that is longer has a
// page of its own.
const placeBits = 20

// slot says where a name stands; 0 for none. Its number stands there too: looking
// it up elsewhere would be one more wait for memory.
type slot struct{ hash, begin uint32 }

const leastSlots = 1 << 8

// hashOf is FNV-1a with a last stirring, which spreads names that differ only at
// their ends (Fowler, Noll and Vo).
func hashOf(name []byte) uint32 {
	h := uint64(14695981039346656037)
	for _, c := range name {
		h = (h ^ uint64(c)) * 1099511628211
	}
	h ^= h >> 29
	return uint32(h*0xbf58476d1ce4e5b9>>32) | 1
}

func (n *Names) at(number uint32) []byte {
	name, _ := n.lies(*n.begin.at(number))
	return name
}

// numberBytes are those of a number before its name.
const numberBytes = 4

// lies is the name that begins at a place, and its number.
func (n *Names) lies(begin uint32) ([]byte, uint32) {
	begin--
	text := n.text[begin>>placeBits][begin&(1<<placeBits-1):]
	length, size := binary.Uvarint(text[numberBytes:])
	size += numberBytes
	return text[size : size+int(length) : size+int(length)], binary.LittleEndian.Uint32(text)
}

// Find returns the number of a name; false where it has none.
func (n *Names) Find(name []byte) (uint32, bool) {
	if len(n.slots) == 0 {
		return 0, false
	}
	hash := hashOf(name)
	for i := hash; ; i++ {
		s := n.slots[i&uint32(len(n.slots)-1)]
		if s.begin == 0 {
			return 0, false
		}
		if s.hash == hash {
			if there, number := n.lies(s.begin); bytes.Equal(there, name) {
				return number, true
			}
		}
	}
}

// Number returns the number of a name, which it copies when it is new.
func (n *Names) Number(name []byte) uint32 {
	if number, ok := n.Find(name); ok {
		return number
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.count*2 >= len(n.slots) {
		n.grow()
	}
	number := uint32(n.count)
	n.count++
	last := len(n.text) - 1
	if last < 0 || len(n.text[last])+numberBytes+binary.MaxVarintLen32+len(name) > 1<<placeBits-1 {
		n.text = append(n.text, nil)
		last++
	}
	begin := uint32(last<<placeBits|len(n.text[last])) + 1
	*n.begin.at(number) = begin
	text := binary.LittleEndian.AppendUint32(n.text[last], number)
	n.text[last] = append(binary.AppendUvarint(text, uint64(len(name))), name...)
	n.put(slot{hashOf(name), begin})
	return number
}

func (n *Names) put(s slot) {
	i := s.hash
	for n.slots[i&uint32(len(n.slots)-1)].begin != 0 {
		i++
	}
	n.slots[i&uint32(len(n.slots)-1)] = s
}

func (n *Names) grow() {
	old := n.slots
	n.slots = make([]slot, max(leastSlots, 2*len(old)))
	for _, s := range old {
		if s.begin != 0 {
			n.put(s)
		}
	}
}

// Name returns the name of a number.
func (n *Names) Name(number uint32) string {
	n.mu.RLock()
	defer n.mu.RUnlock()
	return string(n.at(number))
}

// Bytes is the name of a number, not to be changed.
func (n *Names) Bytes(number uint32) []byte {
	n.mu.RLock()
	defer n.mu.RUnlock()
	return n.at(number)
}

// Len is how many names there are.
func (n *Names) Len() int { return n.count }

// Close gives back what finds names; no more are found or numbered.
func (n *Names) Close() { n.slots = nil }

// A Book numbers what a record names.
type Book struct {
	Accounts, Sources Names
	Folding           Folding // that a reader applied to names of accounts
	// Scratch is as that of the Record.
	Scratch func() (spool.Scratch, error)
}

// Account numbers the name of an account, as the system folds it.
func (b *Book) Account(name []byte) uint32 { return b.Accounts.Number(b.Folding.Fold(name)) }

// A Folding says which ways of writing a name mean the same account, as the
// system has it.
type Folding struct {
	Case   bool // capital letters are small ones
	Domain bool // what stands before a backslash or behind an at sign is no part of it
	DN     bool // names are distinguished names
}

// Fold writes a name as the record numbers it. It returns the same bytes where
// nothing folds.
func (f Folding) Fold(name []byte) []byte {
	if f.Domain {
		if at := bytes.LastIndexByte(name, '\\'); at >= 0 {
			name = name[at+1:]
		} else if at := bytes.IndexByte(name, '@'); at > 0 {
			name = name[:at]
		}
	}
	if f.Case || f.DN {
		name = bytes.ToLower(name)
	}
	return name
}
