package place

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/source"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// EveryRecord is the newest record of every label.
const EveryRecord = "@*"

// expandRecords puts the newest record of every label in the place of @*, and the records of all
// machines that are meant in the place of one.
func (o *Opener) expandRecords(ctx context.Context, places []string) (expanded []asked, err error) {
	for _, place := range places {
		words, recorded := strings.CutPrefix(place, usage.RecordMark)
		if !recorded || strings.HasPrefix(place, usage.ListMark) || place != EveryRecord && !o.Hosts.Given {
			expanded = append(expanded, asked{given: place})
			continue
		}
		if _, err := o.read(ctx); err != nil {
			return nil, err
		}
		var of []asked
		if o.Hosts.Given {
			of, err = o.onMachines(ctx, place, words)
		} else {
			of, err = o.everyLabel(ctx)
		}
		var f *usage.Failure
		switch {
		case errors.As(err, &f):
			return nil, err
		case errors.Is(err, ledger.ErrReference) || errors.Is(err, ledger.ErrNoRecord) || errors.Is(err, ledger.ErrLabel):
			return nil, notARecord(place, err)
		case err != nil:
			return nil, LedgerTrouble(o.Ledgers.Path, err)
		}
		expanded = append(expanded, of...)
	}
	return expanded, nil
}

// everyLabel returns the newest record of each label, of this machine or, in a file, of all together.
func (o *Opener) everyLabel(ctx context.Context) (list []asked, err error) {
	whose := o.Ledgers.whoseRecords()
	found, err := o.Ledgers.Opened.Newest(ctx, whose)
	if err == nil && len(found) == 0 {
		err = withoutRecords(o.Ledgers.Path, whose, false)
	}
	slices.SortFunc(found, func(a, b ledger.Record) int {
		return cmp.Or(strings.Compare(a.Label, b.Label), ledger.CompareTurns(&b, &a))
	})
	for i := range found {
		if i == 0 || found[i].Label != found[i-1].Label {
			list = append(list, asked{given: usage.RecordMark + found[i].Label, record: &found[i]})
		}
	}
	return list, err
}

// onMachines returns the records that a place means on the machines of --host, by their names.
func (o *Opener) onMachines(ctx context.Context, place, words string) (list []asked, err error) {
	var found []ledger.Record
	var ref ledger.Reference
	if place == EveryRecord {
		found, err = o.Ledgers.Opened.Newest(ctx, o.Hosts.Names)
		if err == nil && len(found) == 0 {
			err = withoutRecords(o.Ledgers.Path, o.Hosts.Names, true)
		}
	} else if ref, err = ledger.ParseReference(words, o.AsOf, o.Zone); err == nil {
		if ref.Label == "" || ref.Host != "" { // it says itself which one
			return []asked{{given: place}}, nil
		}
		found, err = o.Ledgers.Opened.FindAll(ctx, ref, o.Hosts.Names)
	}
	if err != nil {
		return nil, err
	}
	has := map[string]bool{}
	for i := range found {
		has[found[i].Host] = true
		list = append(list, asked{given: givenAs(&found[i], ref), record: &found[i], below: ref.Path, among: len(found) > 1})
	}
	for _, name := range o.Hosts.Names {
		if !has[name] {
			o.unrecorded = append(o.unrecorded, place+usage.RecordMark+name)
		}
	}
	if len(o.Hosts.Names) == 0 && place != EveryRecord {
		if err := o.noteUnrecorded(ctx, place, has); err != nil {
			return nil, err
		}
	}
	return list, o.tellLate(ctx, ref.Label)
}

// noteUnrecorded notes which of all machines have no such record: the answer is not complete
// without them.
func (o *Opener) noteUnrecorded(ctx context.Context, place string, has map[string]bool) error {
	all, err := o.Ledgers.Opened.Hosts(ctx)
	if err != nil {
		return LedgerTrouble(o.Ledgers.Path, err)
	}
	all = slices.DeleteFunc(all, func(host string) bool { return has[host] })
	if len(all) > 0 {
		o.lackingRecord = append(o.lackingRecord, source.Problem{Path: place, Tried: "find", Entries: int64(len(all)),
			Err: errors.New(units.Count(int64(len(all)), "machine has", "machines have") + " no such record: " + InShort(all))})
	}
	return nil
}

// withoutRecords says that there are none of some machines.
func withoutRecords(name string, whose []string, given bool) error {
	switch {
	case !ledger.Shared(name) && !given || len(whose) == 0:
		return usage.Misuse("there are no records yet in %s", ShownLedger(name))
	case given:
		return usage.Misuse("there are no records of %s in %s", InShort(whose), ShownLedger(name))
	}
	return usage.Misuse("there are no records of this machine, %s, in %s yet; --host all asks about all machines", typeset.Escaped(whose[0]), ShownLedger(name))
}

// givenAs is how a record of a machine is written as a place.
func givenAs(found *ledger.Record, ref ledger.Reference) string {
	given := usage.RecordMark + found.Label
	if ref.Back > 0 {
		given += ":" + strconv.Itoa(ref.Back)
	}
	given += usage.RecordMark + found.Host
	if !ref.By.IsZero() || strings.ContainsAny(found.Host, "/@") {
		given = usage.RecordMark + strconv.FormatInt(found.Number, 10)
	}
	if ref.Path != "" {
		given += "/" + ref.Path
	}
	return given
}

// notARecord says why a place that is written as a record is none.
func notARecord(given string, err error) error {
	return usage.Misuse("%s: %w (a file of that name is ./%s)", typeset.Escaped(given), usage.Escaped(err), typeset.Escaped(given))
}

// errElsewhere says that a machine has not got what was asked about.
var errElsewhere = errors.New("no such path in this record")

// mostNamed is how many machines are named in a line.
const mostNamed = 4

// InShort names some machines, and how many more there are.
func InShort(names []string) string {
	shown := make([]string, 0, mostNamed)
	for _, name := range names[:min(len(names), mostNamed)] {
		shown = append(shown, typeset.Escaped(name))
	}
	text := strings.Join(shown, ", ")
	if more := len(names) - len(shown); more > 0 {
		text += " and " + units.Count(int64(more), "more", "more")
	}
	return text
}

// tellWithout notes which machines have not got a path; it is an error if none has it.
func (o *Opener) tellWithout(with int) error {
	if len(o.without) == 0 {
		return nil
	}
	if with == 0 {
		return usage.Misuse("none of these machines has %s", typeset.Escaped(o.lacking))
	}
	o.found.Notes = append(o.found.Notes, units.Count(int64(len(o.without)), "machine has", "machines have")+" no "+typeset.Escaped(o.lacking)+": "+InShort(o.without))
	return nil
}

// tellLate notes which machines have not recorded for longer than they do.
func (o *Opener) tellLate(ctx context.Context, label string) error {
	note, err := LateHosts(ctx, o.Ledgers.Opened, label, o.Hosts, o.AsOf)
	if err != nil {
		return LedgerTrouble(o.Ledgers.Path, err)
	}
	if note != "" {
		o.found.Notes = append(o.found.Notes, note)
	}
	return nil
}

// LateHosts says which machines have not recorded for longer than they do; "" if none is late.
func LateHosts(ctx context.Context, l *ledger.Ledger, label string, h Hosts, now time.Time) (note string, err error) {
	late, err := l.Late(ctx, label, h.Names, now)
	if err != nil || len(late) == 0 {
		return "", err
	}
	slices.SortStableFunc(late, func(a, b ledger.Rhythm) int { return a.Newest.Compare(b.Newest) })
	met := map[string]bool{}
	var texts []string
	for _, one := range late {
		if met[one.Host] { // with another label
			continue
		}
		met[one.Host] = true
		texts = append(texts, one.Host+" (@"+one.Label+" "+ago(now, one.Newest)+", usually every "+strings.TrimPrefix(roughly(one.Usual), "1 ")+")")
	}
	return units.Count(int64(len(texts)), "machine is", "machines are") + " late: " + InShort(texts), nil
}

func ago(now, then time.Time) string { return roughly(now.Sub(then)) + " ago" }

// roughly is a span of time in its largest unit.
func roughly(d time.Duration) string {
	const day = 24 * time.Hour
	switch {
	case d >= day-time.Hour:
		return units.Count(int64((d+day/2)/day), "day", "days")
	case d >= 2*time.Hour:
		return units.Count(int64((d+time.Hour/2)/time.Hour), "hour", "hours")
	}
	return units.Count(int64(max(d, time.Minute)/time.Minute), "minute", "minutes")
}
