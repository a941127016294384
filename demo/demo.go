// Package demo builds the sample tree: Tern Point, a made-up field station that
// counts marsh birds by sound. It holds, in a few MiB, every case that the
// program has to deal with. For the same moment it is always the same tree.
package demo

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// builder makes things below root. The first error ends it: later calls do
// nothing.
type builder struct {
	root    string
	asOf    time.Time
	random  *rand.Rand
	err     error
	skipped []string
	times   []stamp // set at the end, since making things alters the times of folders
}

type stamp struct {
	path string
	when time.Time
}

// Build makes the tree in a folder that is there and empty, as it would be
// found at that moment. It returns what could not be made on this system, a
// line each, with the reason.
func Build(root string, asOf time.Time) (skipped []string, err error) {
	b := &builder{root: root, asOf: asOf, random: rand.New(rand.NewPCG(1867, 42))}
	b.recordings()
	b.cards()
	b.counts()
	b.maps()
	b.notes()
	b.scripts()
	b.handover()
	b.station()
	slices.Reverse(b.times) // what lies in a folder before the folder
	for _, s := range b.times {
		if b.err == nil {
			b.err = setTime(s.path, s.when)
		}
	}
	if b.err == nil {
		b.err = os.Chmod(filepath.Join(root, "sealed"), 0)
	}
	if b.err != nil {
		return nil, fmt.Errorf("build the sample tree: %w", b.err)
	}
	return b.skipped, nil
}

func setTime(path string, when time.Time) error {
	spec, err := unix.TimeToTimespec(when)
	if err != nil {
		return err
	}
	return unix.UtimesNanoAt(unix.AT_FDCWD, path, []unix.Timespec{spec, spec}, unix.AT_SYMLINK_NOFOLLOW)
}

// day returns an hour of the day so many days before the moment.
func (b *builder) day(before, hour, minute int) time.Time {
	d := b.asOf.AddDate(0, 0, -before)
	return time.Date(d.Year(), d.Month(), d.Day(), hour, minute, 0, 0, b.asOf.Location())
}

func (b *builder) ago(d time.Duration) time.Time { return b.asOf.Add(-d).Truncate(time.Second) }

func (b *builder) do(path string, when time.Time, build func(path string) error) {
	if b.err != nil {
		return
	}
	path = filepath.Join(b.root, path)
	b.err = build(path)
	b.times = append(b.times, stamp{path, when})
}

// optional makes something that not every system or user can.
func (b *builder) optional(path, what string, when time.Time, build func(path string) error) {
	if b.err != nil {
		return
	}
	full := filepath.Join(b.root, path)
	if err := build(full); err != nil {
		b.skipped = append(b.skipped, what+": "+err.Error())
		return
	}
	b.times = append(b.times, stamp{full, when})
}

func (b *builder) folder(path string, mode uint32, when time.Time) {
	b.do(path, when, func(path string) error {
		if err := os.MkdirAll(path, 0o755); err != nil {
			return err
		}
		return unix.Chmod(path, mode)
	})
}

func (b *builder) file(path string, content []byte, mode uint32, when time.Time) {
	b.do(path, when, func(path string) error { return write(path, content, mode) })
}

func (b *builder) text(path, content string, when time.Time) {
	b.file(path, []byte(content), 0o644, when)
}

func write(path string, content []byte, mode uint32) error {
	if err := os.WriteFile(path, content, 0o600); err != nil {
		return err
	}
	return unix.Chmod(path, mode)
}

// sound makes a recording: the start of one, and then a hole up to its size.
func (b *builder) sound(path string, size int64, mode uint32, when time.Time) {
	start := wave(size, b.random)
	b.do(path, when, func(path string) error {
		if err := write(path, start, mode); err != nil {
			return err
		}
		return os.Truncate(path, size)
	})
}

func (b *builder) link(path, target string, when time.Time) {
	b.do(path, when, func(path string) error { return os.Symlink(target, path) })
}

func (b *builder) noise(size int) []byte {
	content := make([]byte, size)
	for i := range content {
		content[i] = byte(b.random.Uint32())
	}
	return content
}

// recordings are from four stations, two or three a day, over three weeks.
func (b *builder) recordings() {
	b.folder("recordings", 0o755, b.day(1, 19, 5))
	sites := []struct {
		name      string
		recorders []string
	}{{"ridge", []string{"a", "b", "c", "d"}}, {"saltmarsh", []string{"a"}}, {"north-hide", []string{"a"}}, {"old-jetty", []string{"a"}}}
	sessions := []struct {
		name         string
		hour, minute int
	}{{"dawn", 5, 40}, {"dusk", 18, 20}}
	for _, site := range sites {
		folder := "recordings/" + site.name
		b.folder(folder, 0o755, b.day(1, 18, 50))
		for before := 21; before >= 1; before-- {
			for _, session := range sessions {
				for i, recorder := range site.recorders {
					when := b.day(before, session.hour, session.minute+i)
					name := fmt.Sprintf("%s/%s_%s_%s_%s.wav", folder, site.name, when.Format("2006-01-02"), session.name, recorder)
					size := 1_100_000 + b.random.Int64N(33_000_000)
					if b.random.IntN(6) == 0 { // the battery was low
						size = 20_000 + b.random.Int64N(800_000)
					}
					b.sound(name, size, 0o644, when)
				}
			}
		}
	}
	for n := 8; n <= 11; n++ {
		b.sound(fmt.Sprintf("recordings/ridge/test-%d.wav", n), int64(n)*4096, 0o600, b.day(40+n, 14, n))
	}
	b.file("recordings/old-jetty/old-jetty_failed.wav", nil, 0o644, b.day(12, 5, 40))
	b.folder("recordings/old-jetty/spare", 0o755, b.day(400, 9, 0))
	b.sound("recordings/best call.wav", 6_400_000, 0o640, b.day(9, 6, 2))
	b.link("recordings/round and round", "..", b.day(30, 10, 0))
}

// cards are dumps of memory cards; one was copied twice.
func (b *builder) cards() {
	b.folder("cards", 0o755, b.day(3, 11, 30))
	dump := make([][]byte, 5)
	for i := range dump {
		dump[i] = append(wave(64<<10, b.random), b.noise(48<<10+i*7000)...)
	}
	for before, folder := range []string{"cards/card 07 (copy)", "cards/card 07"} {
		b.folder(folder, 0o755, b.day(4+before, 17, 0))
		for i, content := range dump {
			b.file(fmt.Sprintf("%s/DUMP_%04d.WAV", folder, i+1), content, 0o444, b.day(4+before, 16, i))
		}
	}
	b.folder("cards/card 12", 0o755, b.day(60, 17, 0))
	for i := range 4 {
		b.file(fmt.Sprintf("cards/card 12/DUMP_%04d.WAV", i+1), append(wave(64<<10, b.random), b.noise(40<<10)...), 0o444, b.day(60, 16, i))
	}
	b.file("cards/card 12/DUMP_0005.WAV", dump[1], 0o444, b.day(60, 16, 5))
}

var species = []string{"avocet", "bittern", "curlew", "dunlin", "lapwing", "redshank", "snipe", "teal"}

// sheet is a count sheet of one month.
func (b *builder) sheet(month time.Time) []byte {
	var s strings.Builder
	s.WriteString("day,site,species,heard\n")
	for range 24 {
		fmt.Fprintf(&s, "%s-%02d,%s,%s,%d\n", month.Format("2006-01"), 1+b.random.IntN(28),
			[]string{"ridge", "saltmarsh", "north-hide", "old-jetty"}[b.random.IntN(4)], species[b.random.IntN(len(species))], b.random.IntN(40))
	}
	return []byte(s.String())
}

// counts are sheets by month, over three years.
func (b *builder) counts() {
	b.folder("counts", 0o2775, b.day(2, 10, 0))
	first := time.Date(b.asOf.Year()-2, 1, 1, 12, 0, 0, 0, b.asOf.Location())
	last := ""
	for month := first; month.AddDate(0, 1, 0).Before(b.asOf); month = month.AddDate(0, 1, 0) {
		folder := fmt.Sprintf("counts/%d", month.Year())
		if month.Month() == time.January {
			closed := month.AddDate(0, 11, 27)
			if closed.After(b.asOf) {
				closed = b.day(2, 10, 0)
			}
			b.folder(folder, 0o2775, closed)
		}
		last = fmt.Sprintf("%s/count-%d.csv", folder, month.Month())
		b.file(last, b.sheet(month), 0o664, month.AddDate(0, 1, 2))
	}
	year := fmt.Sprintf("counts/%d", b.asOf.Year()-1)
	b.file(year+"/count-13.csv", nil, 0o664, b.day(330, 9, 0))
	b.optional(year+"/pr\xe9sence.csv", "a name that is not UTF-8", b.day(500, 9, 0), func(path string) error {
		return write(path, []byte("jour,lieu\n"), 0o644)
	})
	b.link("counts/latest.csv", strings.TrimPrefix(last, "counts/"), b.day(2, 10, 0))
}

func (b *builder) maps() {
	b.folder("maps", 0o755, b.day(90, 15, 0))
	b.file("maps/station map.png", picture(480, 320, b.random), 0o644, b.day(700, 12, 0))
	b.file("maps/reed beds [draft 2].svg", []byte(reedBeds), 0o644, b.day(200, 16, 40))
	b.file("maps/reed beds [draft 10].svg", []byte(reedBeds), 0o644, b.day(90, 15, 0))
	b.file("maps/tide table.pdf", picture(120, 80, b.random), 0o644, b.day(365, 8, 0)) // not a PDF at all
	b.link("maps/old map.png", "../archive/map-before-the-flood.png", b.day(800, 12, 0))
}

func (b *builder) notes() {
	b.folder("notes", 0o755, b.ago(12*time.Minute))
	b.do("notes/best call.wav", b.day(9, 6, 2), func(path string) error {
		return os.Link(filepath.Join(b.root, "recordings/best call.wav"), path)
	})
	b.text("notes/today.md", "# Today\n\nWind from the west, the reeds are loud. Card 07 is full.\n", b.ago(12*time.Minute))
	b.text("notes/rota.md", "# Rota\n\n- ridge: morning\n- old jetty: evening\n", b.ago(26*time.Hour))
	b.text("notes/bittern, first heard.md", "Boomed twice before sunrise, from the far side of the saltmarsh.\n", b.day(240, 6, 10))
	b.text("notes/Möwen über der Brücke.md", "Gulls over the bridge, about forty.\n", b.day(77, 17, 0))
	b.text("notes/café du marais.txt", "Closed in winter.\n", b.day(130, 12, 0))
	b.text("notes/干潟の鳥.txt", "A list of mudflat birds, from a visitor.\n", b.day(48, 13, 0))
	b.text("notes/minutes of the meeting about moving the north hide before the spring tides.md", "Moved by a small majority.\n", b.day(150, 20, 0))
	b.text("notes/.draft.md", "not yet\n", b.ago(3*time.Hour))
	b.text("notes/two\nlines.txt", "The name of this file has a line break in it.\n", b.day(20, 11, 0))
	b.text("notes/bell\x1b[31m and red.txt", "The name of this file has a terminal escape code in it.\n", b.day(20, 11, 5))
}

func (b *builder) scripts() {
	b.folder("scripts", 0o755, b.day(33, 10, 0))
	b.file("scripts/count-calls.sh", []byte("#!/bin/sh\n# Counts the recordings of a day.\nls recordings/*/*\"$1\"* | wc -l\n"), 0o755, b.day(33, 10, 0))
	b.file("scripts/rename-dumps.py", []byte("#!/usr/bin/env python3\nprint('nothing to rename')\n"), 0o755, b.day(410, 10, 0))
	b.file("scripts/settings.json", []byte("{\"gain\": 12, \"rate\": 22050}\n"), 0o664, b.day(33, 10, 1))
	b.file("scripts/run as owner", []byte("#!/bin/sh\n"), 0o4755, b.day(410, 10, 30))
}

// handover has a list of digests, and one file that was altered since.
func (b *builder) handover() {
	b.folder("handover", 0o2775, b.day(5, 16, 0))
	b.folder("handover/data", 0o2775, b.day(5, 15, 58))
	var list strings.Builder
	for i, name := range []string{"calls.csv", "photo 1.png", "summary.txt", "weather.json"} {
		content := [][]byte{b.sheet(b.asOf), picture(160, 120, b.random), []byte("All four sites were visited.\n"), []byte("{\"wind\": \"west\"}\n")}[i]
		digest := sha256.Sum256(content)
		fmt.Fprintf(&list, "%s data/%s\n", hex.EncodeToString(digest[:]), name)
		when := b.day(6, 9, i)
		if name == "summary.txt" {
			content, when = []byte("All five sites were visited.\n"), b.day(2, 22, 41)
		}
		b.file("handover/data/"+name, content, 0o664, when)
	}
	b.file("handover/manifest-sha256.txt", []byte(list.String()), 0o644, b.day(5, 16, 0))
	b.text("handover/from a visitor.txt", "Thank you for the tea.\n", b.day(15, 16, 0))
	if b.err == nil {
		if err := os.Lchown(filepath.Join(b.root, "handover/from a visitor.txt"), strangerID, -1); err != nil {
			b.skipped = append(b.skipped, "a file of an owner without an account: "+err.Error())
		}
	}
}

// strangerID is the number of a user who has no account.
const strangerID = 48231

// station is what lies at the top.
func (b *builder) station() {
	b.text("read me first.txt", "Tern Point counts marsh birds by sound. The rota is in notes.\n", b.day(900, 12, 0))
	b.text(".station.toml", "name = \"Tern Point\"\nsince = 1867\n", b.day(900, 12, 1))
	b.folder(".trash", 0o700, b.day(18, 8, 0))
	b.sound(".trash/ridge_duplicate.wav", 9_000_000, 0o644, b.day(19, 8, 0))
	b.folder("exchange", 0o1777, b.day(7, 13, 0))
	b.file("exchange/empty", nil, 0o666, b.day(7, 13, 0))
	b.optional("incoming", "a pipe", b.ago(40*time.Minute), func(path string) error { return unix.Mkfifo(path, 0o660) })
	b.folder("sealed", 0o755, b.day(100, 9, 0))
	b.text("sealed/nest sites.txt", "Not for everyone.\n", b.day(100, 9, 0))
	b.do("", b.ago(40*time.Minute), func(string) error { return nil })
}
