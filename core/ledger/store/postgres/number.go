package postgres

import (
	"context"
	"fmt"
)

// Numbers of records are given out by themselves, so that nobody waits for that until a record is written: numbers
// that are not used are of none. They are to be known before a transaction begins, as it sees what was there then.
// One that lacks some is undone, and done again with more.

// lacking is the error of a transaction that lacks numbers.
type lacking struct {
	host  string
	count int // that it has used up
}

func (l *lacking) Error() string {
	return fmt.Sprintf("no number was given out for a record of %s", l.host)
}

// Reserve implements store.Store.
func (d *database) Reserve(ctx context.Context, host string) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.release()
	d.known.Lock()
	delete(d.next, host) // they may be less than those of other programs' records by now
	d.known.Unlock()
	err := d.connect(ctx)
	if err == nil {
		err = d.reserve(ctx, host, 1)
	}
	return again(err)
}

// reserve has numbers be given out, beside those that there are for a host.
func (d *database) reserve(ctx context.Context, host string, count int) error {
	numbers := make([]int64, 0, count)
	for range count {
		number, err := takeNumber(ctx, d.conn, host)
		if err != nil {
			return err
		}
		numbers = append(numbers, number)
	}
	d.known.Lock()
	defer d.known.Unlock()
	d.next[host] = append(d.next[host], numbers...)
	return nil
}

// giveBack undoes the numbers that a transaction has used which was undone itself.
func (u *update) giveBack() {
	u.d.known.Lock()
	defer u.d.known.Unlock()
	for host, numbers := range u.taken {
		u.d.next[host] = append(numbers, u.d.next[host]...)
	}
}

func takeNumber(ctx context.Context, conn connection, host string) (number int64, err error) {
	err = conn.one(ctx, "SELECT frank.take_number($1, 0)", []any{host}, &number)
	return number, named(err)
}

// number returns the number for a record: the next that was given out. None can be chosen.
func (u *update) number(host string) (int64, error) {
	u.d.known.Lock()
	defer u.d.known.Unlock()
	if len(u.d.next[host]) == 0 {
		return 0, &lacking{host, len(u.added)}
	}
	number := u.d.next[host][0]
	u.d.next[host] = u.d.next[host][1:]
	u.taken[host] = append(u.taken[host], number)
	return number, nil
}
