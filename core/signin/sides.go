package signin

// tallies are what is kept of accounts whose numbers are no less than first.
type tallies struct {
	first uint32
	table table[tally]
	sets  sets
	locks map[int64][]int // by the hour, then by the lockouts that were asked
	spare []*wrong
}

func (t *tallies) at(account uint32) *tally { return t.table.at(account - t.first) }

// tally is what is kept of an account.
type tally struct {
	letIn, byKey uint32
	in           set    // addresses that it was let in from
	failed       *wrong // nil where there is nothing to hold against it
	habits       *Habits
}

// wrong is what is kept of an account that failed, or that was refused.
type wrong struct {
	peak  peak
	times uint32
	from  set
	under []Under
}

// origins are what is kept of addresses whose numbers are no less than first.
type origins struct {
	first  uint32
	table  table[origin]
	sets   sets
	passed []int32
}

func (o *origins) at(source uint32) *origin { return o.table.at(source - o.first) }

// origin is what is kept of an address.
type origin struct {
	peak          peak
	failed, letIn uint32
	tried, in     set
	first, last   int64
	limits        *limits // nil where no lockout looks at it
}

// limits are what lockouts do to an address, by those that differ in it.
type limits struct {
	holds  []hold
	shut   []int
	nobody bool // it is not known which address it is
}

// addSource keeps what a sign-in says of its address. It returns how many of its
// times each limit would have let pass; nil for all. That is good until the next.
func (r *Replay) addSource(o *origins, e *Event, at int64) (passed []int32) {
	s := o.at(e.Source)
	switch e.Outcome {
	case Failed:
		if s.failed == 0 {
			s.first = at
		}
		s.last = at
		s.failed += uint32(e.Times)
		s.peak.add(at, int(e.Times))
		o.sets.add(&s.tried, e.Account)
	case LetIn, ByKey:
		o.sets.add(&s.in, e.Account)
		if e.Outcome == ByKey {
			return nil
		}
		s.letIn += uint32(e.Times)
		if s.limits == nil {
			return nil
		}
	}
	if len(r.limits) == 0 {
		return nil
	}
	return r.limit(o, s, e, at)
}

// limit holds a sign-in against what lockouts do about its address.
func (r *Replay) limit(o *origins, s *origin, e *Event, at int64) []int32 {
	if s.limits == nil {
		s.limits = &limits{make([]hold, len(r.limits)), make([]int, len(r.limits)), r.Sources.Name(e.Source) == ""}
	}
	if s.limits.nobody {
		return nil
	}
	list, all := r.lockouts(e.Account), true
	o.passed = o.passed[:0]
	for i, column := range r.limits {
		limit, h, n := &list[column].Source, &s.limits.holds[i], int32(0)
		for ; n < e.Times && (limit.Attempts <= 0 || !h.holds(at)); n++ {
			if limit.Attempts > 0 && e.Outcome == Failed && h.fail(at, limit.Attempts, limit.Window) {
				s.limits.shut[i]++
				h.shut(at, limit.Duration)
			}
		}
		o.passed = append(o.passed, n)
		all = all && n == e.Times
	}
	if all {
		return nil
	}
	return o.passed
}

// addAccount keeps what a sign-in says of its account, of which so many times
// pass each limit of addresses; nil for all.
func (r *Replay) addAccount(t *tallies, e *Event, at int64, passed []int32) {
	a := t.at(e.Account)
	if r.Watch {
		if a.habits == nil {
			a.habits = &Habits{}
		}
		a.habits.add(e, at, r)
	}
	switch e.Outcome {
	case LetIn, ByKey:
		t.sets.add(&a.in, e.Source)
		if e.Outcome == ByKey {
			a.byKey += uint32(e.Times)
			return
		}
		a.letIn += uint32(e.Times)
		if a.failed == nil && passed == nil {
			return // there is nothing to set back, and nothing locked
		}
	}
	if a.failed == nil {
		if n := len(t.spare); n > 0 {
			a.failed, t.spare = t.spare[n-1], t.spare[:n-1]
		} else {
			a.failed = &wrong{under: make([]Under, len(r.limitOf))}
		}
	}
	f := a.failed
	if e.Outcome == Failed {
		f.times += uint32(e.Times)
		f.peak.add(at, int(e.Times))
		t.sets.add(&f.from, e.Source)
	}
	list := r.lockouts(e.Account)
	for i := range list {
		u, n := &f.under[i], e.Times
		if u.Known = list[i].Known; !u.Known {
			continue
		}
		if limit := r.limitOf[i]; passed != nil && limit >= 0 {
			n = passed[limit]
		}
		before := u.Locks
		for range n {
			u.take(&list[i], at, e.Outcome)
		}
		if e.Outcome == Failed {
			u.ShutWrong += int(e.Times - n)
		} else {
			u.ShutRight += int(e.Times - n)
		}
		if u.Locks > before {
			t.lock(at, i, len(list), u.Locks-before)
		}
	}
}

// lock counts locks in the hour of a moment.
func (t *tallies) lock(at int64, i, of, times int) {
	start := at - at%microsPerHour
	if t.locks == nil {
		t.locks = map[int64][]int{}
	}
	if t.locks[start] == nil {
		t.locks[start] = make([]int, of)
	}
	t.locks[start][i] += times
}

// finish puts an end to locks with the end of the record.
func (r *Replay) finish(t *tallies) {
	for _, page := range t.table.pages {
		for i := range page {
			f := page[i].failed
			if f == nil {
				continue
			}
			for i := range f.under {
				u := &f.under[i]
				switch {
				case u.lock.forever:
					u.Locked += (r.Last - u.lock.until + 1) / 1e6
				case u.lock.until > r.Last:
					u.Locked -= (u.lock.until - r.Last) / 1e6
				}
			}
		}
	}
}

// account is what was seen of the name of a number.
func (r *Replay) account(t *tallies, number uint32) Account {
	x := t.at(number)
	a := Account{Name: r.Accounts.Name(number), LetIn: int(x.letIn), ByKey: int(x.byKey)}
	a.SourcesIn, _ = t.sets.len(&x.in)
	if x.habits != nil {
		a.Habits = *x.habits
	}
	f := x.failed
	if f == nil {
		a.Under = r.untouched(number)
		return a
	}
	a.Failures, a.Peaks, a.PeakAt, a.Under = int(f.times), f.peak.peaks(), f.peak.at, f.under
	a.Sources, a.About = t.sets.len(&f.from)
	a.NeverIn = t.sets.without(&f.from, &x.in)
	t.sets.each(&f.from, func(m uint32) bool {
		if t.sets.has(&x.in, m) {
			a.SourcesLetIn++
		}
		return true
	})
	return a
}

// failedFrom are the addresses from which the name of a number failed, those that
// are known one by one.
func (t *tallies) failedFrom(number uint32) (list []uint32) {
	if f := t.at(number).failed; f != nil {
		t.sets.each(&f.from, func(m uint32) bool {
			list = append(list, m)
			return true
		})
	}
	return list
}

// untouched is what lockouts did to an account that never failed.
func (r *Replay) untouched(number uint32) (list []Under) {
	if len(r.limitOf) == 0 {
		return nil
	}
	for _, l := range r.lockouts(number) {
		list = append(list, Under{Known: l.Known})
	}
	return list
}

// source is what was seen of the address of a number; came are a few names that
// it came in with.
func (r *Replay) source(o *origins, number uint32) (s Source, came []uint32) {
	x := o.at(number)
	s = Source{Name: r.Sources.Name(number), Failures: int(x.failed), LetIn: int(x.letIn), Peaks: x.peak.peaks(), First: x.first, Last: x.last}
	s.InVain, s.About = o.sets.len(&x.tried)
	s.OnlyWrong = o.sets.without(&x.tried, &x.in)
	s.NamesIn, _ = o.sets.len(&x.in)
	o.sets.each(&x.in, func(m uint32) bool {
		came = append(came, m)
		return len(came) < fewNames
	})
	if x.limits != nil {
		for _, at := range r.limitOf {
			n := 0
			if at >= 0 {
				n = x.limits.shut[at]
			}
			s.Shut = append(s.Shut, n)
		}
	}
	return s, came
}
