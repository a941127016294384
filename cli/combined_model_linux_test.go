package cli_test

import (
	"bytes"
	"crypto/md5"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// The model of TestCombined says what each answer must be. It is written from docs/meaning.md and
// has nothing of the program in it.

// thing is what the kernel has under a path, and what the one who asks may know of it.
type thing struct {
	rel     string // from the place
	st      unix.Stat_t
	born    unix.StatxTimestamp
	target  string
	leads   bool // a link that leads somewhere
	content []byte
	known   bool // more than its name and kind
	open    bool // its content may be read, or what is in it listed
	enter   bool // what is in it may be looked at
}

func (x *thing) kind() string {
	return map[uint32]string{unix.S_IFREG: "file", unix.S_IFDIR: "folder", unix.S_IFLNK: "link", unix.S_IFIFO: "pipe", unix.S_IFSOCK: "socket"}[x.st.Mode&unix.S_IFMT]
}

func (x *thing) name() string  { return path.Base(x.rel) }
func (x *thing) sized() bool   { return x.known && x.kind() == "file" }
func (x *thing) above() string { return up(x.rel) }

// stem and ext are what is before and after the last dot, but for dots in front.
func (x *thing) stem() (stem, ext string) {
	name := x.name()
	front := len(name) - len(strings.TrimLeft(name, "."))
	if dot := strings.LastIndexByte(name[front:], '.'); dot > 0 {
		return name[:front+dot], strings.ToLower(name[front+dot+1:])
	}
	return name, ""
}

// place is something that is asked about.
type place struct {
	words      []string // of the command line
	given      string   // what paths begin with
	things     []*thing
	all        []*thing // what is there, which a list may have some of
	byRelative map[string]*thing
	record     bool
	digests    bool // which it has
	list       bool
	chosen     *cond                 // that it was recorded with
	left       func(rel string) bool // what was not looked at when it was recorded
	alone      map[string]verdict    // how a test of what has no model came out, by test and path
}

func newPlace(given string, things []*thing) *place {
	p := &place{words: []string{given}, given: given, things: things, all: things, byRelative: map[string]*thing{}, alone: map[string]verdict{}}
	for _, x := range things {
		p.byRelative[x.rel] = x
	}
	return p
}

// within is the place as it is for who stands in it.
func (p *place) within() *place {
	here := *p
	here.given = "."
	return &here
}

// path is how an entry is shown.
func (p *place) path(x *thing) string { return p.given + "/" + x.rel }

// verdict is yes, no or not known, as SQL has it.
type verdict int

const (
	no verdict = iota
	unsure
	yes
)

func verdictOf(so bool) verdict {
	if so {
		return yes
	}
	return no
}

// cond is a condition.
type cond struct {
	words []string
	holds func(p *place, x *thing) verdict
	// opaque are the tests in it of what has no model: how they come out alone says what they are.
	opaque [][]string
}

// mark says whether there is a value.
type mark int

const (
	known mark = iota
	absent
	unknown
)

// valueOf is the value of a field: text, a number, a moment, or whether something is so.
func valueOf(p *place, x *thing, field string) (value any, is mark) {
	stem, ext := x.stem()
	status := func(value any) (any, mark) {
		if !x.known {
			return nil, unknown
		}
		return value, known
	}
	only := func(kind string, value any, open bool) (any, mark) {
		switch {
		case x.kind() != kind:
			return nil, absent
		case !open:
			return nil, unknown
		}
		return value, known
	}
	moment := func(t unix.Timespec) (any, mark) { return status(time.Unix(t.Sec, t.Nsec)) }
	switch field {
	case "name":
		return x.name(), known
	case "stem":
		return stem, known
	case "ext":
		if ext == "" {
			return nil, absent
		}
		return ext, known
	case "path":
		return p.path(x), known
	case "folder":
		full := p.path(x)
		return full[:strings.LastIndexByte(full, '/')], known
	case "kind":
		return x.kind(), known
	case "depth":
		if p.list { // each is a place
			return int64(0), known
		}
		return int64(1 + strings.Count(x.rel, "/")), known
	case "hidden":
		return strings.HasPrefix(x.name(), "."), known
	case "size":
		return only("file", x.st.Size, x.known)
	case "target":
		return only("link", x.target, x.known)
	case "broken":
		if x.kind() == "link" && p.record {
			return nil, unknown
		}
		return only("link", !x.leads, x.known)
	case "sparse":
		return only("file", x.st.Blocks*512 < x.st.Size, x.known)
	case "type":
		if x.kind() == "file" && x.open && len(x.content) == 0 && !p.record {
			return nil, absent
		}
		return only("file", typeOf(x.content), x.open && !p.record)
	case "sha256":
		sum := sha256.Sum256(x.content)
		return only("file", hex.EncodeToString(sum[:]), x.open && (!p.record || p.digests))
	case "md5":
		sum := md5.Sum(x.content)
		return only("file", hex.EncodeToString(sum[:]), x.open && !p.record)
	case "disk":
		return status(x.st.Blocks * 512)
	case "links":
		return status(int64(x.st.Nlink))
	case "inode":
		return status(int64(x.st.Ino))
	case "uid":
		return status(int64(x.st.Uid))
	case "gid":
		return status(int64(x.st.Gid))
	case "owner":
		return status(map[bool]string{true: "root", false: strconv.Itoa(int(x.st.Uid))}[x.st.Uid == 0]) // the others have no names
	case "mode":
		return status(int64(x.st.Mode & 0o7777))
	case "modified":
		return moment(x.st.Mtim)
	case "changed":
		return moment(x.st.Ctim)
	case "created":
		if x.born.Sec == 0 {
			return nil, unknown
		}
		return moment(unix.Timespec{Sec: x.born.Sec, Nsec: int64(x.born.Nsec)})
	case "empty":
		if x.kind() == "file" {
			return status(x.st.Size == 0)
		}
		holds := slices.ContainsFunc(p.all, func(in *thing) bool { return in.above() == x.rel })
		return only("folder", !holds, x.open && (x.known || !p.record) && (holds || p.chosen == nil && p.left == nil))
	}
	panic(field)
}

func typeOf(content []byte) string {
	if bytes.HasPrefix(content, []byte("\x89PNG")) {
		return "image/png"
	}
	if bytes.IndexByte(content, 0) >= 0 {
		return "application/octet-stream"
	}
	return "text/plain"
}

// flat is text as it is compared: capitals are as small letters, and accents need not be typed.
func flat(text string) string {
	return strings.NewReplacer("É", "é", "Ü", "ü").Replace(strings.ToLower(text))
}

func plain(text string) string { return strings.NewReplacer("é", "e", "ü", "u").Replace(flat(text)) }

// gen makes conditions.
type gen struct {
	*rand.Rand
	things []*thing
}

func one[T any](g *gen, of ...T) T { return of[g.IntN(len(of))] }

func (g *gen) thing() *thing { return g.things[g.IntN(len(g.things))] }

// test makes a condition of a test of a value.
func test(field string, words []string, holds func(value any) bool) *cond {
	return &cond{words: append([]string{field}, words...), holds: func(p *place, x *thing) verdict {
		switch value, is := valueOf(p, x, field); is {
		case known:
			return verdictOf(holds(value))
		case absent:
			return no
		}
		return unsure
	}}
}

// leaf makes a random test.
func (g *gen) leaf() *cond {
	switch g.IntN(12) {
	case 0, 1, 2:
		return g.text()
	case 3, 4:
		return g.number()
	case 5, 6:
		return g.moment()
	case 7:
		field := one(g, "mode", "size", "target", "ext", "type", "sha256", "created", "modified", "owner", "inode")
		word := one(g, "missing", "present")
		return &cond{words: []string{field, word}, holds: func(p *place, x *thing) verdict {
			_, is := valueOf(p, x, field)
			if is == unknown {
				return unsure
			}
			return verdictOf((is == known) == (word == "present"))
		}}
	case 8:
		flag := one(g, "empty", "hidden", "broken", "sparse")
		return test(flag, nil, func(value any) bool { return value.(bool) })
	case 9:
		bits := int64(one(g, 0o4, 0o20, 0o644, 0o755, 0o111, 0))
		op := one(g, "is", "has", "any", "lacks")
		if bits == 0 {
			op = "is"
		}
		return test("mode", []string{op, fmt.Sprintf("%04o", bits)}, func(value any) bool {
			mode := value.(int64)
			return map[string]bool{"is": mode == bits, "has": mode&bits == bits, "any": mode&bits != 0, "lacks": mode&bits == 0}[op]
		})
	case 10:
		field, algorithm := "sha256", func(content []byte) string { sum := sha256.Sum256(content); return hex.EncodeToString(sum[:]) }
		if g.IntN(2) == 0 {
			field, algorithm = "md5", func(content []byte) string { sum := md5.Sum(content); return hex.EncodeToString(sum[:]) }
		}
		digest := algorithm(g.thing().content)[:8+g.IntN(20)]
		return test(field, []string{"is", digest}, func(value any) bool { return strings.HasPrefix(value.(string), digest) })
	}
	words := one(g, []string{"readable"}, []string{"writable"}, []string{"executable"}, []string{"setuid"}, []string{"sticky"}, []string{"setgid"}, []string{"awkward"}, []string{"mislabelled"},
		[]string{"readers", "is", "everyone"}, []string{"writers", "is", "owner"}, []string{"acl"}, []string{"xattrs", "present"}, []string{"xattrs", "has", "note"}, []string{"capabilities", "missing"},
		[]string{"flags", "missing"}, []string{"filesystem", "is", "tmpfs"}, []string{"mount", "present"}, []string{"host", "present"}, []string{"accessed", "before", "2020"}, []string{"device", "over", "0"})
	return &cond{words: words, opaque: [][]string{words}, holds: func(p *place, x *thing) verdict {
		v, asked := p.alone[strings.Join(words, " ")+"\x00"+x.rel]
		if !asked {
			panic("not asked alone: " + strings.Join(words, " "))
		}
		return v
	}}
}

func (g *gen) text() *cond {
	field := one(g, "name", "stem", "ext", "path", "folder", "kind", "target", "type", "owner")
	if field == "kind" || field == "type" || field == "ext" || field == "owner" {
		words := []string{one(g, map[string][]string{"kind": {"file", "folder", "link", "pipe"}, "type": {"text/plain", "image/png", "image"}, "ext": {"txt", "md", "gz", "png"}, "owner": {"root", "71001", "71002"}}[field]...)}
		if g.IntN(3) == 0 && field != "owner" {
			words = append(words, map[string]string{"kind": "socket", "type": "text/plain", "ext": "txt"}[field])
		}
		return test(field, []string{"is", strings.Join(words, ",")}, func(value any) bool {
			family, _, _ := strings.Cut(value.(string), "/")
			return slices.Contains(words, value.(string)) || slices.Contains(words, family)
		})
	}
	whole := map[string]string{"name": g.thing().name(), "stem": strings.TrimSuffix(g.thing().name(), ".txt"), "path": g.thing().rel, "folder": g.thing().above(), "target": "nowhere"}[field]
	op := one(g, "is", "has", "starts", "ends", "like")
	letters := []rune(whole)
	if len(letters) == 0 || strings.ContainsAny(whole, "*?[\\\n") || strings.Trim(whole, " -./") == "" {
		letters = []rune("md")
	}
	from, to := 0, len(letters)
	switch op {
	case "has":
		from = g.IntN(len(letters))
		to = from + 1 + g.IntN(len(letters)-from)
	case "starts":
		to = 1 + g.IntN(len(letters))
	case "ends":
		from = g.IntN(len(letters))
	}
	word := string(letters[from:to])
	if strings.Trim(word, " -./,()'\"") == "" || strings.Contains(word, "\ufffd") || strings.HasPrefix(word, "-") || strings.HasPrefix(word, "./") || slices.Contains([]string{"and", "or", "not"}, word) {
		word = "e"
	}
	if g.IntN(3) == 0 {
		word = strings.ToUpper(word)
	}
	if op == "like" {
		word = "*" + word
	}
	compare := func(value string) bool {
		value, want := flat(value), flat(word)
		if op != "is" && plain(word) == want { // an accent that is typed counts
			value = plain(value)
		}
		switch op {
		case "has":
			return strings.Contains(value, want)
		case "starts":
			return strings.HasPrefix(value, want)
		case "ends":
			return strings.HasSuffix(value, want)
		case "like":
			return regexp.MustCompile("(?s)^[^/]*" + regexp.QuoteMeta(want[1:]) + "$").MatchString(value)
		}
		return value == want
	}
	c := test(field, []string{op, word}, func(value any) bool { return compare(value.(string)) })
	if field == "path" || field == "folder" { // also as it is from the place
		holds := c.holds
		c.holds = func(p *place, x *thing) verdict {
			below := map[string]string{"path": x.rel, "folder": x.above()}[field]
			if below != "" && !p.list && compare(below) { // what is listed is a place by itself
				return yes
			}
			return holds(p, x)
		}
	}
	return c
}

func (g *gen) number() *cond {
	field := one(g, "size", "size", "disk", "links", "inode", "uid", "gid", "depth", "age")
	x := g.thing()
	at := map[string]int64{"size": x.st.Size, "disk": x.st.Blocks * 512, "links": int64(x.st.Nlink), "inode": int64(x.st.Ino), "uid": int64(x.st.Uid), "gid": int64(x.st.Gid),
		"depth": int64(1 + strings.Count(x.rel, "/")), "age": max(0, asOf-x.st.Mtim.Sec)/3600 - 1}[field]
	at = max(0, at+int64(g.IntN(3)-1))
	unit := map[string]string{"size": "B", "disk": "B", "age": " hours"}[field]
	word := fmt.Sprint(at, unit)
	op := one(g, []string{"is"}, []string{"over"}, []string{"under"}, []string{"at", "least"}, []string{"at", "most"}, []string{"between"})
	more := at + int64(g.IntN(3000))
	words := append(slices.Clone(op), word)
	if op[0] == "between" {
		words = append(words, "and", fmt.Sprint(more, unit))
	}
	holds := func(n, at, more int64) bool {
		switch strings.Join(op, " ") {
		case "is":
			return n == at
		case "over":
			return n > at
		case "under":
			return n < at
		case "at least":
			return n >= at
		case "at most":
			return n <= at
		}
		return at <= n && n <= more
	}
	if field == "age" {
		const hour = int64(time.Hour)
		c := test("modified", nil, func(value any) bool {
			age := time.Unix(asOf, 0).Sub(value.(time.Time)).Nanoseconds()
			if op[0] == "is" { // whole hours
				return at*hour <= age && age < (at+1)*hour
			}
			return holds(age, at*hour, more*hour)
		})
		c.words = append([]string{"age"}, words...)
		return c
	}
	return test(field, words, func(value any) bool { return holds(value.(int64), at, more) })
}

func (g *gen) moment() *cond {
	field := one(g, "modified", "modified", "changed", "created")
	x := g.thing()
	at := time.Unix(map[string]int64{"modified": x.st.Mtim.Sec, "changed": x.st.Ctim.Sec, "created": x.born.Sec}[field], 0).UTC()
	day := at.Truncate(24 * time.Hour)
	next := day.Add(24 * time.Hour)
	word := day.Format(time.DateOnly)
	if field == "modified" && g.IntN(3) == 0 { // a minute is a moment: its beginning
		day = at.Truncate(time.Minute)
		next, word = day.Add(1), day.Format("2006-01-02T15:04")
	}
	switch op := one(g, "before", "since", "after", "on", "within", "between"); op {
	case "within":
		days := 1 + g.IntN(4000)
		return test(field, []string{"within", strconv.Itoa(days), "days"}, func(value any) bool {
			return value.(time.Time).After(time.Unix(asOf, 0).Add(-time.Duration(days)*24*time.Hour-1)) && !value.(time.Time).After(time.Unix(asOf, 0))
		})
	case "between":
		last := next.Add(time.Duration(g.IntN(100)) * 24 * time.Hour).Truncate(24 * time.Hour)
		return test(field, []string{"between", word, "and", last.Format(time.DateOnly)}, func(value any) bool {
			return !value.(time.Time).Before(day) && value.(time.Time).Before(last.Add(24*time.Hour))
		})
	default:
		if op == "on" {
			day = day.Truncate(24 * time.Hour)
			next, word = day.Add(24*time.Hour), day.Format(time.DateOnly)
		}
		return test(field, []string{op, word}, func(value any) bool {
			t := value.(time.Time)
			return map[string]bool{"before": t.Before(day), "since": !t.Before(day), "after": !t.Before(next), "on": !t.Before(day) && t.Before(next)}[op]
		})
	}
}

// cond makes a random condition.
func (g *gen) cond(depth int) *cond {
	if depth == 0 || g.IntN(3) == 0 {
		return g.leaf()
	}
	a := g.cond(depth - 1)
	group := func(c *cond) []string {
		if len(c.words) > 1 {
			return slices.Concat([]string{"("}, c.words, []string{")"})
		}
		return c.words
	}
	if g.IntN(3) == 0 {
		return &cond{words: append([]string{"not"}, group(a)...), holds: func(p *place, x *thing) verdict { return yes - a.holds(p, x) }, opaque: a.opaque}
	}
	b := g.cond(depth - 1)
	word, of := "and", func(a, b verdict) verdict { return min(a, b) }
	if g.IntN(2) == 0 {
		word, of = "or", func(a, b verdict) verdict { return max(a, b) }
	}
	return &cond{words: slices.Concat(group(a), []string{word}, group(b)), holds: func(p *place, x *thing) verdict { return of(a.holds(p, x), b.holds(p, x)) }, opaque: slices.Concat(a.opaque, b.opaque)}
}

// sum is what some things come to, each counted once, under the first of its names.
type sum struct {
	entries, files, size int64
	sized                bool // of some file a size is known
	whole                bool // all is known
}

// sums adds things up by keys, of which each can have several.
func sums(things []*thing, p *place, keys func(*thing) []string) map[string]*sum {
	all := map[string]*sum{}
	of := func(key string) *sum {
		if all[key] == nil {
			all[key] = &sum{whole: true}
		}
		return all[key]
	}
	things = slices.Clone(things)
	slices.SortFunc(things, func(a, b *thing) int { return strings.Compare(p.path(a), p.path(b)) })
	seen := map[uint64]bool{}
	for _, x := range things {
		again := x.known && x.st.Nlink > 1 && x.kind() != "folder" && seen[x.st.Ino]
		seen[x.st.Ino] = seen[x.st.Ino] || x.known
		for _, key := range keys(x) {
			s := of(key)
			s.entries++
			if x.kind() == "file" {
				s.files++
				if x.sized() {
					if s.sized = true; !again {
						s.size += x.st.Size
					}
				}
			}
			s.whole = s.whole && x.known
		}
	}
	return all
}

// everyFolder are the folders that something lies in, with the place, which is "".
func everyFolder(x *thing) (rels []string) {
	for rel := x.rel; rel != ""; {
		rel = up(rel)
		rels = append(rels, rel)
	}
	return rels
}
