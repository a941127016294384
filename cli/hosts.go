package cli

import (
	"cmp"
	"context"
	"errors"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frankledger/cli/usage"
	"frankledger/core/ledger"
	"frankledger/core/source"
	"frankledger/render/typeset"
	"frankledger/render/units"
)

// Here it is decided of which machines records are asked about.

// everyHost is the word for all hosts.
const everyHost = "all"

// hosts are the machines that --host names.
type hosts struct {
	given bool
	names []string // nil for all
}

// addHost gives a command the option on whose records are meant.
func addHost(cmd *cobra.Command, words *string) {
	cmd.Flags().StringVar(words, "host", "", "the `NAMES` of the machines whose records are meant, separated by commas, or all")
	group(cmd, groupWhere, "host")
	shared(cmd, "host")
	complete(cmd, "host", completeHosts)
}

// readHosts reads the words of --host.
func readHosts(cmd *cobra.Command, words string) (h hosts, err error) {
	if !cmd.Flags().Changed("host") {
		return h, nil
	}
	h.given = true
	h.names, err = hostsIn([]string{words})
	if err != nil {
		err = usage.MisuseOf("host", "--host: %w", err)
	}
	return h, err
}

// several reports whether these may be more than one.
func (h hosts) several() bool { return h.given && len(h.names) != 1 }

// hostsIn returns the hosts that words name, with commas between them or not; nil for all.
func hostsIn(words []string) (names []string, err error) {
	for _, word := range words {
		for _, host := range strings.Split(word, ",") {
			host = strings.TrimSpace(host)
			switch {
			case host == everyHost:
				if len(words) > 1 || word != everyHost {
					return nil, usage.Misuse("all is every machine; name no other beside it")
				}
				return nil, nil
			case host == "" || len(host) > 255 || strings.ContainsFunc(host, func(r rune) bool { return r <= ' ' || r == '*' || r == 0x7f }):
				return nil, usage.Misuse("%q is not the name of a machine; write web01, or web01,web02, or all", host)
			}
			if !slices.Contains(names, host) {
				names = append(names, host)
			}
		}
	}
	return names, nil
}

// asked is a place that was asked about; of a record that was found already, with that.
type asked struct {
	given  string
	record *ledger.Record
	below  string // the path in it
	among  bool   // it is one of several machines' records
}

// everyRecord is the newest record of every label.
const everyRecord = "@*"

// expandRecords puts the newest record of every label in the place of @*, and the records of all
// machines that are meant in the place of one.
func (p *Program) expandRecords(ctx context.Context, r *reading, places []string) (expanded []asked, err error) {
	for _, place := range places {
		words, recorded := strings.CutPrefix(place, usage.RecordMark)
		if !recorded || strings.HasPrefix(place, usage.ListMark) || place != everyRecord && !r.hosts.given {
			expanded = append(expanded, asked{given: place})
			continue
		}
		if _, err := p.ledgerToRead(ctx, r); err != nil {
			return nil, err
		}
		var of []asked
		if r.hosts.given {
			of, err = p.onMachines(ctx, r, place, words)
		} else {
			of, err = p.everyLabel(ctx)
		}
		var f *usage.Failure
		switch {
		case errors.As(err, &f):
			return nil, err
		case errors.Is(err, ledger.ErrReference) || errors.Is(err, ledger.ErrNoRecord) || errors.Is(err, ledger.ErrLabel):
			return nil, p.notARecord(place, err)
		case err != nil:
			return nil, ledgerTrouble(p.ledgerPath, err)
		}
		expanded = append(expanded, of...)
	}
	return expanded, nil
}

// everyLabel returns the newest record of each label, of this machine or, in a file, of all together.
func (p *Program) everyLabel(ctx context.Context) (list []asked, err error) {
	whose := p.whoseRecords()
	found, err := p.ledger.Newest(ctx, whose)
	if err == nil && len(found) == 0 {
		err = withoutRecords(p.ledgerPath, whose, false)
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
func (p *Program) onMachines(ctx context.Context, r *reading, place, words string) (list []asked, err error) {
	var found []ledger.Record
	var ref ledger.Reference
	if place == everyRecord {
		found, err = p.ledger.Newest(ctx, r.hosts.names)
		if err == nil && len(found) == 0 {
			err = withoutRecords(p.ledgerPath, r.hosts.names, true)
		}
	} else if ref, err = ledger.ParseReference(words, r.view.Zone); err == nil {
		if ref.Label == "" || ref.Host != "" { // it says itself which one
			return []asked{{given: place}}, nil
		}
		found, err = p.ledger.FindAll(ctx, ref, r.hosts.names)
	}
	if err != nil {
		return nil, err
	}
	has := map[string]bool{}
	for i := range found {
		has[found[i].Host] = true
		list = append(list, asked{given: givenAs(&found[i], ref), record: &found[i], below: ref.Path, among: len(found) > 1})
	}
	for _, name := range r.hosts.names {
		if !has[name] {
			r.unrecorded = append(r.unrecorded, place+usage.RecordMark+name)
		}
	}
	if len(r.hosts.names) == 0 && place != everyRecord {
		if err := p.noteUnrecorded(ctx, r, place, has); err != nil {
			return nil, err
		}
	}
	return list, p.tellLate(ctx, r, p.ledger, ref.Label)
}

// noteUnrecorded notes which of all machines have no such record: the answer is not complete
// without them.
func (p *Program) noteUnrecorded(ctx context.Context, r *reading, place string, has map[string]bool) error {
	all, err := p.ledger.Hosts(ctx)
	if err != nil {
		return ledgerTrouble(p.ledgerPath, err)
	}
	all = slices.DeleteFunc(all, func(host string) bool { return has[host] })
	if len(all) > 0 {
		r.lackingRecord = append(r.lackingRecord, source.Problem{Path: place, Tried: "find", Entries: int64(len(all)),
			Err: errors.New(units.Count(int64(len(all)), "machine has", "machines have") + " no such record: " + inShort(all))})
	}
	return nil
}

// withoutRecords says that there are none of some machines.
func withoutRecords(name string, whose []string, given bool) error {
	switch {
	case !ledger.Shared(name) && !given || len(whose) == 0:
		return usage.Misuse("there are no records yet in %s", shownLedger(name))
	case given:
		return usage.Misuse("there are no records of %s in %s", inShort(whose), shownLedger(name))
	}
	return usage.Misuse("there are no records of this machine, %s, in %s yet; --host all asks about all machines", typeset.Escaped(whose[0]), shownLedger(name))
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
func (p *Program) notARecord(given string, err error) error {
	return usage.Misuse("%s: %w (a file of that name is ./%s)", typeset.Escaped(given), usage.Escaped(err), typeset.Escaped(given))
}

// whoseRecords are the machines whose records are meant where nothing says so; nil for all that the
// ledger has.
func (p *Program) whoseRecords() []string {
	if ledger.Shared(p.ledgerPath) {
		return []string{thisHost()}
	}
	return nil
}

// tellNamesake says that another machine has recorded under the name of this one.
func (p *Program) tellNamesake(l *ledger.Ledger, host string) {
	if l.Namesake() {
		p.Say("frank: another machine has recorded as %s before: if there are two of that name, give one of them another; if this one was set up anew, all is well", typeset.Escaped(host))
	}
}

func thisHost() string {
	host, _ := os.Hostname()
	return host
}

// errElsewhere says that a machine has not got what was asked about.
var errElsewhere = errors.New("it has not got that")

// mostNamed is how many machines are named in a line.
const mostNamed = 4

// inShort names some machines, and how many more there are.
func inShort(names []string) string {
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
func (r *reading) tellWithout(with int) error {
	if len(r.without) == 0 {
		return nil
	}
	if with == 0 {
		return usage.Misuse("none of these machines has %s", typeset.Escaped(r.lacking))
	}
	r.notes = append(r.notes, units.Count(int64(len(r.without)), "machine has", "machines have")+" no "+typeset.Escaped(r.lacking)+": "+inShort(r.without))
	return nil
}

// tellLate notes which machines have not recorded for longer than they do.
func (p *Program) tellLate(ctx context.Context, r *reading, l *ledger.Ledger, label string) error {
	now := r.view.Context.AsOf
	late, err := l.Late(ctx, label, r.hosts.names, now)
	if err != nil {
		return ledgerTrouble(p.ledgerPath, err)
	}
	if len(late) == 0 {
		return nil
	}
	slices.SortStableFunc(late, func(a, b ledger.Lateness) int { return a.Newest.Compare(b.Newest) })
	met := map[string]bool{}
	var texts []string
	for _, one := range late {
		if met[one.Host] { // with another label
			continue
		}
		met[one.Host] = true
		texts = append(texts, one.Host+" (@"+one.Label+" "+ago(now, one.Newest)+", usually every "+strings.TrimPrefix(roughly(one.Usual), "1 ")+")")
	}
	r.notes = append(r.notes, units.Count(int64(len(texts)), "machine is", "machines are")+" late: "+inShort(texts))
	return nil
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
