package sqlite

import (
	"context"
	"database/sql"
	"errors"
)

// Stamps implements Reader.
func (s reader) Stamps(ctx context.Context, place, record int64) (stamps []byte, err error) {
	if there, err := s.hasTable(ctx, "stamp"); err != nil || !there {
		return nil, err
	}
	err = s.q.QueryRowContext(ctx, "SELECT folders FROM stamp WHERE place = ? AND record = ?", place, record).Scan(&stamps)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return stamps, named(err)
}

// SetStamps implements Update.
func (u *update) SetStamps(ctx context.Context, place, record int64, stamps []byte) error {
	_, err := u.exec(ctx, stampTable)
	if err == nil {
		_, err = u.exec(ctx, "INSERT OR REPLACE INTO stamp (place, record, folders) VALUES (?, ?, ?)", place, record, blob(stamps))
	}
	return err
}
