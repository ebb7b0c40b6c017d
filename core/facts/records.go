package facts

// Records divides accounts of which the records can only be read one after the other
// but filled in side by side.
type Records[R any] struct {
	// Read reads all records. It puts each where room says, which is good until
	// the next call; an error of room ends the reading. What it notes comes
	// between the records.
	Read func(notes *Notes, room func() (*R, error)) error
	// Filler returns what makes accounts of the records of a part, false for a
	// record that is none, and where that notes what it has to say.
	Filler func() (fill func(*R, *Account) bool, notes *Notes)
	Notes  *Notes // where all of it is noted in the end
}

// Parts is of Divided.
func (r *Records[R]) Parts(yield func(Part) error) error {
	back := make(chan *records[R], 64)
	var notes Notes
	next := func() *records[R] {
		var p *records[R]
		select {
		case p = <-back:
			p.list = p.list[:0]
		default:
			p = &records[R]{list: make([]R, 0, BatchSize), of: r, back: back}
		}
		p.before, p.noted, notes = notes, nil, Notes{}
		return p
	}
	now, stopped := next(), false
	err := r.Read(&notes, func() (*R, error) {
		if len(now.list) == BatchSize || !notes.empty() {
			full := now
			now = next()
			if err := yield(full); err != nil {
				stopped = true
				return nil, err
			}
		}
		now.list = now.list[:len(now.list)+1]
		return &now.list[len(now.list)-1], nil
	})
	if stopped {
		return err
	}
	for _, last := range []*records[R]{now, next()} {
		if err := yield(last); err != nil {
			return err
		}
	}
	return err
}

// records are a part of them.
type records[R any] struct {
	list   []R
	before Notes  // of the reading, before the first
	noted  *Notes // while they were filled in
	of     *Records[R]
	back   chan *records[R]
}

func (p *records[R]) Accounts(yield func(*Account) error) error {
	fill, notes := p.of.Filler()
	p.noted = notes
	var a Account
	for i := range p.list {
		a.Reset()
		if !fill(&p.list[i], &a) {
			continue
		}
		if err := yield(&a); err != nil {
			return err
		}
	}
	return nil
}

// Done gives the memory of the records back to be read into again.
func (p *records[R]) Done() {
	p.of.Notes.Join(&p.before)
	if p.noted != nil {
		p.of.Notes.Join(p.noted)
	}
	select {
	case p.back <- p:
	default:
	}
}
