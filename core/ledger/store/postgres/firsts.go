package postgres

import (
	"context"
	"errors"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

const (
	firstsRoom = 64 << 20 // of all that is read of several records at once
	shortPart  = 64 << 10 // of the names and facts of a segment that are read with it
)

// Firsts implements store.Store. Where somebody has made up more than can be, it is nil: read one by
// one, that is the damage of one machine.
func (d *database) Firsts(ctx context.Context, of []store.Key) (map[int64]*store.First, error) {
	firsts, err := d.firsts(ctx, of)
	if errors.Is(err, encoding.ErrDamaged) {
		return nil, nil
	}
	return firsts, err
}

func (d *database) firsts(ctx context.Context, of []store.Key) (map[int64]*store.First, error) {
	firsts := make(map[int64]*store.First, len(of))
	var keys [][]any
	for _, k := range of {
		if firsts[k.Number] != nil { // an early version could give a number out twice
			return nil, nil
		}
		firsts[k.Number] = &store.First{Of: store.Range{Place: k.Place, UpTo: k.Number}}
		keys = append(keys, []any{k.Place, k.Number})
		d.learn(k.Number, k.Place)
	}
	if len(keys) == 0 {
		return firsts, nil
	}
	room := room{most: firstsRoom}
	each := func(do func(row) error, query string, values ...any) error {
		return d.each(ctx, func(values row) error {
			if err := room.take(values); err != nil {
				return err
			}
			return do(values)
		}, query, values...)
	}
	places, numbers := arrayOf(keys, 0), arrayOf(keys, 1)
	if err := each(func(values row) error {
		var number, layer int64
		err := values.scan(&number, &layer)
		firsts[number].Of.Layer = layer
		return err
	}, "SELECT w.number, max(b.record) FROM unnest($1::bigint[], $2::bigint[]) w(place, number) JOIN frank.band b ON b.place = w.place AND b.layer AND b.record <= w.number GROUP BY w.number", places, numbers); err != nil {
		return nil, err
	}
	if err := each(func(values row) error {
		var number int64
		var p store.ProblemRow
		var rel, tried, reason []byte
		err := values.scan(&number, &rel, &tried, &reason, &p.Entries, &p.Vanished)
		p.Path, p.Tried, p.Reason = string(rel), string(tried), string(reason)
		firsts[number].Problems = append(firsts[number].Problems, p)
		return err
	}, "SELECT q.record, q.way, q.tried, q.reason, q.entries, q.vanished FROM unnest($1::bigint[], $2::bigint[]) w(place, number) JOIN frank.problem q ON q.place = w.place AND q.record = w.number ORDER BY q.record, q.way, q.tried", places, numbers); err != nil {
		return nil, err
	}
	var small, large [][]any
	for _, k := range of {
		if one := []any{k.Place, k.Number, firsts[k.Number].Of.Layer}; k.Small {
			small = append(small, one)
		} else {
			large = append(large, one)
		}
	}
	inRanges := func(do func(row) error, columns, table string, ranges [][]any, more ...any) error {
		if len(ranges) == 0 {
			return nil
		}
		return each(do, "SELECT w.number, t.record, t.layer, t.n, "+columns+" FROM unnest($1::bigint[], $2::bigint[], $3::bigint[]) w(place, number, base) JOIN frank."+table+
			" t ON t.place = w.place AND (t.record = w.base AND t.layer OR t.record > w.base AND t.record <= w.number AND NOT t.layer) ORDER BY w.number, t.record, t.n",
			append([]any{arrayOf(ranges, 0), arrayOf(ranges, 1), arrayOf(ranges, 2)}, more...)...)
	}
	if err := inRanges(func(values row) error {
		var number, n int64
		var one store.BandRow
		var packed []byte
		err := values.scan(&number, &one.Record, &one.Layer, &n, &packed)
		if err == nil {
			one.Band, err = encoding.UnpackBand(packed)
		}
		one.Number = numberOf(one.Record, one.Layer, n)
		d.learn(one.Record, firsts[number].Of.Place)
		firsts[number].Bands = append(firsts[number].Bands, one)
		return err
	}, "t.packed", "band", large); err != nil {
		return nil, err
	}
	const short = "CASE WHEN octet_length(t.names) + octet_length(t.facts) <= $4 THEN "
	err := inRanges(func(values row) error {
		var number, n int64
		var one store.SegmentRow
		err := values.scan(&number, &one.Record, &one.Layer, &n, &one.Folders, &one.Names, &one.Facts)
		of := firsts[number]
		one.Place, one.Number = of.Of.Place, numberOf(one.Record, one.Layer, n)
		d.learn(one.Record, one.Place)
		of.Segments = append(of.Segments, one)
		return err
	}, "t.folders, "+short+"t.names END, "+short+"t.facts END", "sheet", small, int64(shortPart))
	return firsts, err
}
