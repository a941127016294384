package ledger

import (
	"context"

	"frankledger/core/source"
)

// Interpose has a function called before each call to the store; it is told whether
// that is within a change. Its error is what the call returns.
func (l *Ledger) Interpose(before func(inside bool) error) {
	l.store = interposed{l.store, interposedShelf{l.store, false, before}}
}

type interposed struct {
	Store
	interposedShelf
}

func (i interposed) Records(ctx context.Context) ([]Record, error) {
	return i.interposedShelf.Records(ctx)
}
func (i interposed) Problems(ctx context.Context, record int64) ([]source.Problem, error) {
	return i.interposedShelf.Problems(ctx, record)
}
func (i interposed) Sheets(ctx context.Context, place, upTo int64) ([]Sheet, error) {
	return i.interposedShelf.Sheets(ctx, place, upTo)
}
func (i interposed) Volumes(ctx context.Context, place int64) (map[string]uint64, error) {
	return i.interposedShelf.Volumes(ctx, place)
}
func (i interposed) Part(ctx context.Context, sheet int64, part Part) ([]byte, error) {
	return i.interposedShelf.Part(ctx, sheet, part)
}

func (i interposed) Update(ctx context.Context, change func(Update) error) error {
	if err := i.before(false); err != nil {
		return err
	}
	return i.Store.Update(ctx, func(u Update) error {
		err := change(interposedUpdate{u, interposedShelf{u, true, i.before}})
		if err != nil {
			return err
		}
		return i.before(true) // the last moment at which all can be taken back
	})
}

func (i interposed) Check(ctx context.Context) ([]string, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Check(ctx)
}

func (i interposed) Altered(ctx context.Context) ([]int64, error) {
	if err := i.before(false); err != nil {
		return nil, err
	}
	return i.Store.Altered(ctx)
}

func (i interposed) Compact(ctx context.Context) error {
	if err := i.before(false); err != nil {
		return err
	}
	return i.Store.Compact(ctx)
}

type interposedShelf struct {
	shelf  Shelf
	inside bool
	before func(inside bool) error
}

func (i interposedShelf) Records(ctx context.Context) ([]Record, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.shelf.Records(ctx)
}

func (i interposedShelf) Problems(ctx context.Context, record int64) ([]source.Problem, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.shelf.Problems(ctx, record)
}

func (i interposedShelf) Sheets(ctx context.Context, place, upTo int64) ([]Sheet, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.shelf.Sheets(ctx, place, upTo)
}

func (i interposedShelf) Volumes(ctx context.Context, place int64) (map[string]uint64, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.shelf.Volumes(ctx, place)
}

func (i interposedShelf) Part(ctx context.Context, sheet int64, part Part) ([]byte, error) {
	if err := i.before(i.inside); err != nil {
		return nil, err
	}
	return i.shelf.Part(ctx, sheet, part)
}

type interposedUpdate struct {
	update Update
	interposedShelf
}

func (i interposedUpdate) AddRecord(ctx context.Context, r Record) (number, place int64, err error) {
	if err := i.before(true); err != nil {
		return 0, 0, err
	}
	return i.update.AddRecord(ctx, r)
}

func (i interposedUpdate) AddProblem(ctx context.Context, record int64, p source.Problem) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddProblem(ctx, record, p)
}

func (i interposedUpdate) AddVolume(ctx context.Context, place int64, id string, device uint64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddVolume(ctx, place, id, device)
}

func (i interposedUpdate) AddSheet(ctx context.Context, s Sheet) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.AddSheet(ctx, s)
}

func (i interposedUpdate) RemoveSheets(ctx context.Context, record int64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.RemoveSheets(ctx, record)
}

func (i interposedUpdate) RemoveRecord(ctx context.Context, record int64) error {
	if err := i.before(true); err != nil {
		return err
	}
	return i.update.RemoveRecord(ctx, record)
}
