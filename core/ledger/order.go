package ledger

import (
	"encoding/binary"
	"frankledger/core/ledger/store"
	"time"

	"github.com/zeebo/blake3"
)

// Which record is the newest: the order of the records of a machine is that in which it made
// them. Each has a turn, which is past that of any that this machine is known to have made before:
// the time in nanoseconds by its clock, or, where the clock was set back, one more than the
// last. It goes with the record wherever that is sent. Times are shown, and days are looked up in this
// order; they do not decide it.

// TurnAfter is the turn of a record that a host makes now, after those that are known, and after another
// one that the machine has made elsewhere.
func TurnAfter(records []Record, r *Record, after int64) int64 {
	turn := max(store.TurnAt(r.Taken), after+1)
	for i := range records {
		if records[i].Host == r.Host {
			turn = max(turn, records[i].Turn+1)
		}
	}
	return min(turn, store.MostTurn)
}

// SetBack reports whether the clock of a machine was set back between two of some records, which
// come in order.
func SetBack(records []Record) bool {
	type series struct {
		host  string
		place string
	}
	last := map[series]time.Time{}
	for _, r := range records {
		of := series{r.Host, r.Place}
		if before, met := last[of]; met && r.Taken.Before(before) {
			return true
		}
		last[of] = r.Taken
	}
	return false
}

// Identity is by what a record is known again in another ledger, and when it was taken away.
func (r *Record) Identity() string {
	h := blake3.New()
	for _, text := range []string{r.Host, r.Place, r.Label} {
		h.Write(binary.AppendUvarint(nil, uint64(len(text))))
		h.Write([]byte(text))
	}
	h.Write(binary.AppendVarint(nil, r.Taken.UnixNano()))
	h.Write(r.Tree[:])
	return string(h.Sum(nil)[:16])
}
