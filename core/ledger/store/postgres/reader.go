package postgres

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"frankledger/core/ledger/encoding"
	"frankledger/core/ledger/store"
)

// asker has something done with a connection, while nobody else asks it.
type asker interface {
	ask(ctx context.Context, do func(connection) error) error
}

// reader reads from the database, or in a transaction.
type reader struct {
	asker
	d *database
}

// each calls a function for each row that a query has.
func (r reader) each(ctx context.Context, do func(row) error, query string, values ...any) error {
	return r.ask(ctx, func(c connection) error { return c.each(ctx, do, query, values...) })
}

// one reads the one row that a query has, and reports whether there is one.
func (r reader) one(ctx context.Context, query string, values []any, to ...any) (there bool, err error) {
	err = r.ask(ctx, func(c connection) error {
		err := c.one(ctx, query, values, to...)
		if there = err == nil; errors.Is(err, errNoRow) {
			return nil
		}
		return err
	})
	return there, err
}

// A segment, or a band, has one number for the program: its record, whether it is of the layer
// of that, and which of these it is.
const (
	orderBits = 24
	layerBit  = 1 << orderBits
)

func numberOf(record int64, layer bool, n int64) int64 {
	number := record<<(orderBits+1) | n
	if layer {
		number |= layerBit
	}
	return number
}

func partsOf(number int64) (record int64, layer bool, n int64) {
	return number >> (orderBits + 1), number&layerBit != 0, number & (layerBit - 1)
}

// placeOf returns the place of a record.
func (r reader) placeOf(ctx context.Context, record int64) (place int64, err error) {
	r.d.known.Lock()
	place, known := r.d.places[record]
	r.d.known.Unlock()
	if known {
		return place, nil
	}
	there, err := r.one(ctx, "SELECT place FROM frank.record WHERE number = $1", []any{record}, &place)
	if err == nil && !there {
		err = fmt.Errorf("%w: record %d is not there", encoding.ErrDamaged, record)
	}
	return place, err
}

func (d *database) learn(record, place int64) {
	d.known.Lock()
	defer d.known.Unlock()
	d.places[record] = place
}

func (d *database) learnHost(place int64, host string) {
	d.known.Lock()
	defer d.known.Unlock()
	d.hostAt[place] = host
}

func (d *database) hostOf(place int64) (host string, known bool) {
	d.known.Lock()
	defer d.known.Unlock()
	host, known = d.hostAt[place]
	return host, known
}

// recordColumns are what is read of a record r in a place p.
func (d *database) recordColumns() string {
	stored := "(SELECT " + summed("b.stored") + " FROM frank.band b WHERE b.place = r.place AND b.record = r.number AND NOT b.layer)"
	if d.schema.Load() >= 5 {
		stored = "coalesce(r.stored, " + stored + ")"
	}
	return "r.number, r.place, p.host, p.path, r.label, r.taken, r.note, r.terms, r.algorithm, r.entries, r.bytes, r.unsized, r.looked, r.hidden, r.problems, r.seal, r.self, r.sum, r.turn, " + stored
}

// summed is the sum of a column of bytes, which stays at a number that can be added to: whatever
// one machine has written, the question is answered for the others.
func summed(column string) string {
	return "least(coalesce(sum(" + column + "), 0), 4611686018427387904)::bigint"
}

// Records implements store.Reader.
func (r reader) Records(ctx context.Context) (records []store.RecordRow, err error) {
	where, args := r.d.chosen()
	err = r.eachRecord(ctx, &records, "SELECT "+r.d.recordColumns()+" FROM frank.record r JOIN frank.place p ON p.id = r.place"+where+" ORDER BY r.number", args...)
	return records, err
}

// eachRecord adds the records that a query has, and notes where they are.
func (r reader) eachRecord(ctx context.Context, to *[]store.RecordRow, query string, args ...any) error {
	return r.eachSummed(ctx, func(one store.RecordRow, _ []byte) { *to = append(*to, one) }, query, args...)
}

// Of the records of a host, there are no more than these, and no more words in them: what is more
// was made up to fill the memory of those who read it, and is that machine's damage alone.
const (
	mostRecords = 1 << 17
	wordsRoom   = 16 << 20
)

// eachSummed calls a function for each record that a query has, with the digest over it.
func (r reader) eachSummed(ctx context.Context, do func(one store.RecordRow, sum []byte), query string, args ...any) error {
	type amount struct{ records, words int }
	met := map[string]*amount{}
	return r.each(ctx, func(values row) error {
		one, sum, err := scanRecord(values)
		if err != nil {
			return err
		}
		of := met[one.Host]
		if of == nil {
			of = &amount{}
			met[one.Host] = of
		}
		of.words += len(one.Note) + len(one.Path) + len(one.Label) + len(one.Self)
		for _, term := range one.Terms {
			of.words += len(term)
		}
		if of.words > wordsRoom {
			one.Note, one.Terms, one.Self, one.Damaged = "", nil, nil, true
		}
		if of.records++; of.records > mostRecords {
			if of.records > mostRecords+1 {
				return nil
			}
			one.Damaged = true
		}
		r.d.learn(one.Number, one.Place)
		r.d.learnHost(one.Place, one.Host)
		do(one, sum)
		return nil
	}, query, args...)
}

// chosen returns the clause that chooses the hosts that are told of, and what goes into it.
func (d *database) chosen() (where string, args []any) {
	d.known.Lock()
	defer d.known.Unlock()
	if len(d.hosts) == 0 {
		return "", nil
	}
	return " WHERE p.host = ANY ($1)", []any{d.hosts}
}

// selecting is the query for the keys of the records of a choice, and what goes into it.
func (d *database) selecting(c store.Choice) (query string, args []any) {
	if d.schema.Load() >= 5 && c.Number == 0 {
		var hosts, label, before any
		if c.Hosts != nil {
			hosts = c.Hosts
		}
		if c.Label != "" {
			label = []byte(c.Label)
		}
		if !c.Before.IsZero() {
			before = c.Before.UnixNano()
		}
		return "SELECT k.place, k.number, k.host, k.label, k.taken, k.turn FROM frank.newest($1, $2, $3, $4) k", []any{hosts, label, before, c.Newest}
	}
	and := func(condition string, value any) {
		args = append(args, value)
		query += fmt.Sprintf(" AND "+condition, len(args))
	}
	if c.Number > 0 {
		and("r.number = $%d", c.Number)
		return "SELECT r.place, r.number, p.host, r.label, r.taken, r.turn FROM frank.record r JOIN frank.place p ON p.id = r.place WHERE true" + query, args
	}
	if c.Hosts != nil {
		and("p.host = ANY ($%d)", c.Hosts)
	}
	if c.Label != "" {
		and("r.label = $%d", []byte(c.Label))
	}
	if !c.Before.IsZero() {
		and("r.taken < $%d", c.Before.UnixNano())
	}
	args = append(args, c.Newest)
	return `SELECT n.place, n.number, n.host, n.label, n.taken, n.turn FROM (SELECT r.place, r.number, p.host, r.label, r.taken, r.turn, row_number() OVER (PARTITION BY p.host, r.label ORDER BY r.turn DESC, r.number DESC) AS nth
		FROM frank.record r JOIN frank.place p ON p.id = r.place WHERE true` + query + fmt.Sprintf(") n WHERE n.nth <= $%d", len(args)), args
}

// Select implements store.Store.
func (d *database) Select(ctx context.Context, c store.Choice) (records []store.RecordRow, err error) {
	keys, args := d.selecting(c)
	err = d.eachRecord(ctx, &records, "SELECT "+d.recordColumns()+" FROM ("+keys+") k JOIN frank.record r ON r.place = k.place AND r.number = k.number JOIN frank.place p ON p.id = r.place ORDER BY p.host, r.label, r.turn DESC, r.number DESC", args...)
	return records, err
}

// Laid implements store.Store.
func (d *database) Laid(ctx context.Context) (map[int64]int64, error) {
	laid := map[int64]int64{}
	where, args := d.chosen()
	err := d.each(ctx, func(values row) error {
		var record, stored int64
		err := values.scan(&record, &stored)
		laid[record] = stored
		return err
	}, "SELECT b.record, "+summed("b.stored")+" FROM frank.band b JOIN frank.place p ON p.id = b.place"+cmp.Or(where, " WHERE true")+" AND b.layer GROUP BY b.record", args...)
	return laid, err
}

// Hosts implements store.Store.
func (d *database) Hosts(ctx context.Context) (hosts []string, err error) {
	err = d.each(ctx, func(values row) error {
		var host string
		err := values.scan(&host)
		hosts = append(hosts, host)
		return err
	}, "SELECT DISTINCT host FROM frank.place ORDER BY host")
	return hosts, err
}

// Moments implements store.Store.
func (d *database) Moments(ctx context.Context, c store.Choice) (moments []store.MomentRow, err error) {
	keys, args := d.selecting(c)
	err = d.each(ctx, func(values row) error {
		var one store.MomentRow
		var label []byte
		var taken int64
		err := values.scan(&one.Host, &label, &taken)
		one.Label, one.Taken = string(label), time.Unix(0, taken).UTC()
		moments = append(moments, one)
		return err
	}, "SELECT k.host, k.label, k.taken FROM ("+keys+") k ORDER BY k.host, k.label, k.turn DESC, k.number DESC", args...)
	return moments, err
}

func scanRecord(values row) (one store.RecordRow, sum []byte, err error) {
	var path, label, note, terms, tree []byte
	var taken int64
	var looked, hidden *int64
	if err := values.scan(&one.Number, &one.Place, &one.Host, &path, &label, &taken, &note, &terms, &one.Algorithm, &one.Entries, &one.Bytes, &one.Unsized, &looked, &hidden, &one.Problems, &tree, &one.Self, &sum, &one.Turn, &one.Stored); err != nil {
		return one, nil, err
	}
	one.Path, one.Label, one.Note, one.Taken = string(path), string(label), string(note), time.Unix(0, taken).UTC()
	copy(one.Tree[:], tree)
	if one.Counted = looked != nil && hidden != nil; one.Counted {
		one.Looked, one.Hidden = *looked, *hidden
	}
	_, known := encoding.UnpackSelf(one.Self)
	one.Damaged = json.Unmarshal(terms, &one.Terms) != nil || !known || len(tree) != len(one.Tree)
	for _, count := range []*int64{&one.Entries, &one.Bytes, &one.Unsized, &one.Looked, &one.Hidden, &one.Problems, &one.Stored} {
		if *count < 0 { // by whomever it was written
			*count, one.Damaged = 0, true
		}
	}
	if one.Turn < 1 || one.Turn > mostTurn {
		one.Turn, one.Damaged = 1, true
	}
	return one, sum, nil
}

// mostTurn is the last turn that a record can have.
const mostTurn = 1 << 62

// Dropped implements store.Reader.
func (r reader) Dropped(ctx context.Context, host string) (map[string]bool, error) {
	dropped := map[string]bool{}
	room := room{most: listRoom}
	err := r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		var id []byte
		err := values.scan(&id)
		dropped[string(id)] = true
		return err
	}, "SELECT id FROM frank.dropped WHERE host = $1", host)
	return dropped, err
}

// Problems implements store.Reader.
func (r reader) Problems(ctx context.Context, record int64) (problems []store.ProblemRow, err error) {
	place, err := r.placeOf(ctx, record)
	if err != nil {
		return nil, err
	}
	room := room{most: listRoom}
	err = r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		var p store.ProblemRow
		var rel, tried, reason []byte
		err := values.scan(&rel, &tried, &reason, &p.Entries, &p.Vanished)
		p.Path, p.Tried, p.Reason = string(rel), string(tried), string(reason)
		problems = append(problems, p)
		return err
	}, "SELECT way, tried, reason, entries, vanished FROM frank.problem WHERE place = $1 AND record = $2 ORDER BY way, tried", place, record)
	return problems, err
}

// room is what is read of a place at once. Whoever made it up must not fill the memory of those who
// read it.
type room struct {
	taken int
	most  int // 0 for the usual
}

const (
	mostRoom  = 1 << 30  // of what is packed
	listRoom  = 64 << 20 // of a list that is taken as it is
	shortRoom = 1 << 20  // of one that has only some lines
	roomRow   = 256      // beside what is in it
)

func (r *room) take(values row) error {
	r.taken += roomRow
	for _, value := range values {
		r.taken += len(value)
	}
	if r.taken > cmp.Or(r.most, mostRoom) {
		return fmt.Errorf("%w: it says that there is more than can be", encoding.ErrDamaged)
	}
	return nil
}

// rangeWhere chooses what is in a range.
const rangeWhere = " WHERE place = $1 AND (record = $2 AND layer OR record > $2 AND record <= $3 AND NOT layer) ORDER BY record, n"

// Segments implements store.Reader.
func (r reader) Segments(ctx context.Context, of store.Range) (segments []store.SegmentRow, err error) {
	var room room
	err = r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		one := store.SegmentRow{Place: of.Place}
		var n int64
		err := values.scan(&one.Record, &one.Layer, &n, &one.Folders)
		one.Number = numberOf(one.Record, one.Layer, n)
		r.d.learn(one.Record, of.Place)
		segments = append(segments, one)
		return err
	}, "SELECT record, layer, n, folders FROM frank.sheet"+rangeWhere, of.Place, of.Layer, of.UpTo)
	return segments, err
}

// Layers implements store.Reader.
func (r reader) Layers(ctx context.Context, place int64) (layers []store.LayerRow, err error) {
	room := room{most: listRoom}
	err = r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		var l store.LayerRow
		err := values.scan(&l.Record, &l.Stored)
		layers = append(layers, l)
		return err
	}, "SELECT record, "+summed("stored")+" FROM frank.band WHERE place = $1 AND layer GROUP BY record ORDER BY record", place)
	return layers, err
}

// Volumes implements store.Reader.
func (r reader) Volumes(ctx context.Context, place int64) (map[string]uint64, error) {
	volumes := map[string]uint64{}
	room := room{most: shortRoom}
	err := r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		var id string
		var device int64
		err := values.scan(&id, &device)
		volumes[id] = uint64(device)
		return err
	}, "SELECT id, device FROM frank.volume WHERE place = $1", place)
	return volumes, err
}

// Stamps implements store.Reader.
func (r reader) Stamps(ctx context.Context, place, record int64) (stamps []byte, err error) {
	_, err = r.one(ctx, "SELECT folders FROM frank.stamp WHERE place = $1 AND record = $2", []any{place, record}, &stamps)
	return stamps, err
}

// Rereads implements store.Reader.
func (r reader) Rereads(ctx context.Context, place int64) (list []store.RereadRow, err error) {
	room := room{most: shortRoom}
	err = r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		var one store.RereadRow
		var taken int64
		err := values.scan(&taken, &one.From, &one.To, &one.Whole, &one.Files, &one.Bytes)
		one.Taken = time.Unix(0, taken)
		list = append(list, one)
		return err
	}, "SELECT taken, first, next, whole, files, bytes FROM frank.reread WHERE place = $1 ORDER BY taken, n", place)
	return list, err
}

// Mismatches implements store.Reader.
func (r reader) Mismatches(ctx context.Context, place int64) (list []store.MismatchRow, err error) {
	room := room{most: listRoom}
	err = r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		var m store.MismatchRow
		var rel []byte
		var found int64
		err := values.scan(&rel, &m.Record, &found, &m.Algorithm, &m.Before, &m.Now)
		m.Path, m.Found = string(rel), time.Unix(0, found)
		list = append(list, m)
		return err
	}, "SELECT way, record, found, algorithm, before, now FROM frank.mismatch WHERE place = $1 ORDER BY way", place)
	return list, err
}

// Bands implements store.Reader.
func (r reader) Bands(ctx context.Context, of store.Range) (bands []store.BandRow, err error) {
	var room room
	err = r.each(ctx, func(values row) error {
		if err := room.take(values); err != nil {
			return err
		}
		var row store.BandRow
		var packed []byte
		var n int64
		err := values.scan(&row.Record, &row.Layer, &n, &packed)
		if err == nil {
			row.Band, err = encoding.UnpackBand(packed)
		}
		row.Number = numberOf(row.Record, row.Layer, n)
		r.d.learn(row.Record, of.Place)
		bands = append(bands, row)
		return err
	}, "SELECT record, layer, n, packed FROM frank.band"+rangeWhere, of.Place, of.Layer, of.UpTo)
	return bands, err
}

// BandPart implements store.Reader.
func (r reader) BandPart(ctx context.Context, band int64, part int) (content []byte, err error) {
	record, layer, n := partsOf(band)
	place, err := r.placeOf(ctx, record)
	if err != nil {
		return nil, err
	}
	there, err := r.one(ctx, "SELECT content FROM frank.band_part WHERE place = $1 AND record = $2 AND layer = $3 AND n = $4 AND part = $5", []any{place, record, layer, n, part}, &content)
	if err == nil && !there {
		err = fmt.Errorf("%w: part %d of band %d of record %d is not there", encoding.ErrDamaged, part, n, record)
	}
	return content, err
}

// Part implements store.Reader.
func (r reader) Part(ctx context.Context, segment int64, part store.Part) (content []byte, err error) {
	record, layer, n := partsOf(segment)
	place, err := r.placeOf(ctx, record)
	if err != nil {
		return nil, err
	}
	column := map[store.Part]string{store.Names: "names", store.Facts: "facts", store.Folders: "folders"}[part]
	there, err := r.one(ctx, "SELECT "+column+" FROM frank.sheet WHERE place = $1 AND record = $2 AND layer = $3 AND n = $4", []any{place, record, layer, n}, &content)
	if err == nil && !there {
		err = fmt.Errorf("%w: segment %d of record %d is not there", encoding.ErrDamaged, n, record)
	}
	return content, err
}

// Altered implements store.Store.
func (d *database) Altered(ctx context.Context) (altered []int64, err error) {
	type summed struct {
		store.RecordRow
		sum []byte
	}
	var all []summed
	where, args := d.chosen()
	if err := d.eachSummed(ctx, func(one store.RecordRow, sum []byte) {
		all = append(all, summed{one, sum})
	}, "SELECT "+d.recordColumns()+" FROM frank.record r JOIN frank.place p ON p.id = r.place"+where+" ORDER BY r.number", args...); err != nil {
		return nil, err
	}
	counts := map[int64]int64{} // of problems, by records
	if err := d.each(ctx, func(values row) error {
		var record, count int64
		err := values.scan(&record, &count)
		counts[record] = count
		return err
	}, "SELECT q.record, count(*) FROM frank.problem q JOIN frank.place p ON p.id = q.place"+where+" GROUP BY q.record", args...); err != nil {
		return nil, err
	}
	for _, one := range all {
		var problems []store.ProblemRow
		var err error
		if one.Problems > 0 || counts[one.Number] > 0 {
			if problems, err = d.Problems(ctx, one.Number); errors.Is(err, encoding.ErrDamaged) { // of this machine alone
				altered = append(altered, one.Number)
				continue
			} else if err != nil {
				return nil, err
			}
		}
		if string(sumOf(&one.RecordRow, problems)) != string(one.sum) || int64(len(problems)) != one.Problems {
			altered = append(altered, one.Number)
		}
	}
	return altered, nil
}
