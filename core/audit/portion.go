package audit

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc64"
	"io"

	"yewcone/core/facts"
	"yewcone/core/snapshot"
	"yewcone/core/spool"
)

// A Portion is what came of a share: what it was of, and of each system what each
// engine noted. It is written to a file: a few bytes that say what it is, a head in
// JSON, the streams of all engines one behind the other, and a checksum. Names stand
// in it as hashes but for the accounts that findings may name.
type Portion struct {
	head    portionHead
	aside   *spool.Spool
	streams []*spool.Stream

	file   io.ReaderAt // where it was read from
	begins int64       // of the streams in it
}

const (
	portionMark    = "yewcone share 1\n"
	portionHeadMax = 1 << 28 // bytes of a head
)

type portionHead struct {
	Share   Share
	Of      string // what was read and asked
	Systems []portionSystem
}

type portionSystem struct {
	Name    string
	Engines []portionEngine
}

// A portionEngine is what one engine noted.
type portionEngine struct {
	Streams    [5]int64 // bytes of accounts, names, stored passwords, people and pieces
	Counts     []int    // accounts by outcome, by their numbers, counted from 1
	Samples    []snapshot.Account
	Kinds      []bool // see engine.kindMatched
	Privileged bool
}

// add puts an engine's notes into the portion.
func (p *Portion) add(system int, e *engine) {
	e.met.sumUp(e)
	s := e.share
	out := portionEngine{Counts: make([]int, s.numbers), Kinds: e.kindMatched, Privileged: e.privilegedMatched}
	for _, o := range e.outcomes {
		if o.number > 0 {
			out.Counts[o.number-1] = o.accounts
		}
	}
	for i := range e.sightings.samples {
		var line snapshot.Account
		snapshot.OfAccount(&line, &e.sightings.samples[i])
		out.Samples = append(out.Samples, line)
	}
	for i, x := range []*spool.Stream{&s.accounts, &s.names, &e.sightings.stored.Stream, &s.crowd, &s.pieces} {
		out.Streams[i] = int64(x.Len())
		p.streams = append(p.streams, x)
	}
	p.head.Systems[system].Engines = append(p.head.Systems[system].Engines, out)
}

// Write writes the portion to a file.
func (p *Portion) Write(w io.Writer) error {
	head, err := json.Marshal(p.head)
	if err != nil {
		return err
	}
	sum := crc64.New(crc64.MakeTable(crc64.ECMA))
	to := bufio.NewWriterSize(io.MultiWriter(w, sum), 1<<16)
	_, _ = to.WriteString(portionMark)
	_, _ = to.Write(binary.LittleEndian.AppendUint64(nil, uint64(len(head))))
	_, _ = to.Write(head)
	block, some := make([]byte, spool.BlockSize), []byte(nil)
	for _, x := range p.streams {
		r := x.Reader(p.aside, block)
		for left := x.Len(); left > 0; left -= len(some) {
			if some = r.Bytes(some[:0], min(left, spool.BlockSize)); r.Bad {
				return errors.Join(p.aside.Err(), io.ErrUnexpectedEOF)
			}
			_, _ = to.Write(some)
		}
	}
	if err := to.Flush(); err != nil {
		return err
	}
	_, err = w.Write(binary.LittleEndian.AppendUint64(nil, sum.Sum64()))
	return err
}

var errNoShare = errors.New("this is no share of a check, or not a whole one")

// OpenPortion reads what Write wrote, which stays open.
func OpenPortion(file io.ReaderAt, size int64) (*Portion, error) {
	const before, after = int64(len(portionMark) + 8), 8
	var first [before]byte
	if _, err := file.ReadAt(first[:], 0); err != nil || string(first[:len(portionMark)]) != portionMark {
		return nil, errNoShare
	}
	length := int64(binary.LittleEndian.Uint64(first[len(portionMark):]))
	if length < 0 || length > portionHeadMax || before+length+after > size {
		return nil, errNoShare
	}
	sum := crc64.New(crc64.MakeTable(crc64.ECMA))
	if _, err := io.Copy(sum, io.NewSectionReader(file, 0, size-after)); err != nil {
		return nil, err
	}
	var last [after]byte
	if _, err := file.ReadAt(last[:], size-after); err != nil && err != io.EOF {
		return nil, err
	}
	if binary.LittleEndian.Uint64(last[:]) != sum.Sum64() {
		return nil, errNoShare
	}
	p := &Portion{file: file, begins: before + length}
	head := make([]byte, length)
	if _, err := file.ReadAt(head, before); err != nil {
		return nil, err
	}
	if err := json.Unmarshal(head, &p.head); err != nil {
		return nil, errNoShare
	}
	end := before + length + after
	for _, s := range p.head.Systems {
		for _, e := range s.Engines {
			for _, n := range e.Streams {
				if end += n; n < 0 || end > size {
					return nil, errNoShare
				}
			}
		}
	}
	if end != size {
		return nil, errNoShare
	}
	return p, nil
}

// Share tells which share it is, and Of what was read and asked.
func (p *Portion) Share() Share { return p.head.Share }

// Of tells what was read and asked.
func (p *Portion) Of() string { return p.head.Of }

// noted is what one engine of another process noted of a system.
type noted struct {
	*portionEngine
	share                                  Share
	accounts, names, stored, crowd, pieces *bufio.Reader

	place   int64 // of the account that comes next
	outcome uint64
	text    []byte
	more    bool
	counted []bool // by outcome: its accounts were counted
}

// of are the notes of the engines that a system had.
func (p *Portion) of(system int) []*noted {
	at := p.begins
	var list []*noted
	for i, s := range p.head.Systems {
		for j := range s.Engines {
			n := &noted{portionEngine: &s.Engines[j], share: p.head.Share, counted: make([]bool, len(s.Engines[j].Counts))}
			for k, to := range []**bufio.Reader{&n.accounts, &n.names, &n.stored, &n.crowd, &n.pieces} {
				*to = bufio.NewReaderSize(io.NewSectionReader(p.file, at, n.Streams[k]), 1<<12)
				at += n.Streams[k]
			}
			if i == system {
				list = append(list, n)
			}
		}
	}
	return list
}

// next reads the account that comes next.
func (n *noted) next() error {
	since, err := binary.ReadUvarint(n.accounts)
	if err == io.EOF {
		n.more = false
		return nil
	}
	if err != nil {
		return err
	}
	n.place, n.more = n.place+int64(since), true
	if n.outcome, err = binary.ReadUvarint(n.accounts); err != nil {
		return err
	}
	if n.outcome > uint64(len(n.Counts)) {
		return errNoShare
	}
	n.text, err = sized(n.accounts, n.text)
	return err
}

// sized reads a text with its length before it.
func sized(r *bufio.Reader, into []byte) ([]byte, error) {
	length, err := binary.ReadUvarint(r)
	if err != nil {
		return nil, err
	}
	if length > portionHeadMax {
		return nil, errNoShare
	}
	if into = into[:0]; uint64(cap(into)) < length {
		into = make([]byte, 0, length)
	}
	into = into[:length]
	_, err = io.ReadFull(r, into)
	return into, err
}

// number reads a hash; false at the end.
func number(r *bufio.Reader) (uint64, bool, error) {
	var b [8]byte
	if _, err := io.ReadFull(r, b[:]); err != nil {
		if err == io.EOF {
			err = nil
		}
		return 0, false, err
	}
	return binary.LittleEndian.Uint64(b[:]), true, nil
}

// account reads the account at hand.
func (n *noted) account(a *facts.Account) error {
	var line snapshot.Account
	if err := json.Unmarshal(n.text, &line); err != nil {
		return err
	}
	if err := line.Account(a, facts.Origin{}, func(mark uint64) uint64 { return mark }); err != nil {
		return fmt.Errorf("%w: %w", errNoShare, err)
	}
	return nil
}
