package check

import (
	"errors"

	"yewcone/core/estate"
)

// Accounts are read ahead in batches, so that reading and judging go on at the
// same time; their order stays that of the export.
const (
	batchSize    = 512
	batchesAhead = 4
)

var errStopped = errors.New("stopped")

// readAhead streams an export's accounts to yield as Export.Accounts does,
// with the reading on a goroutine of its own. It returns when both are done.
func readAhead(export Export, yield func(*estate.Account) error) error {
	full := make(chan []estate.Account, batchesAhead)
	empty := make(chan []estate.Account, batchesAhead+2)
	stop := make(chan struct{})
	done := make(chan error, 1)
	for range batchesAhead + 1 {
		empty <- make([]estate.Account, 0, batchSize)
	}
	go func() {
		batch := <-empty
		send := func() error {
			select {
			case full <- batch:
			case <-stop:
				return errStopped
			}
			batch = (<-empty)[:0]
			return nil
		}
		err := export.Accounts(func(a *estate.Account) error {
			batch = batch[:len(batch)+1]
			batch[len(batch)-1].CopyFrom(a)
			if len(batch) == batchSize {
				return send()
			}
			return nil
		})
		if err == nil && len(batch) > 0 {
			err = send()
		}
		close(full)
		done <- err
	}()
	var failed error
	for batch := range full {
		for i := range batch {
			if failed = yield(&batch[i]); failed != nil {
				close(stop)
				break
			}
		}
		empty <- batch
		if failed != nil {
			break
		}
	}
	if err := <-done; failed == nil && !errors.Is(err, errStopped) {
		failed = err
	}
	return failed
}
