package entry

import (
	"cmp"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"frankledger/core/row"
	"frankledger/core/text"
)

// Type is what kind of value a field has.
type Type = row.Type

// The types of fields.
const (
	Text   = row.Text
	Number = row.Number
	Bytes  = row.Bytes
	Moment = row.Time
	Span   = row.Span
	Mode   = row.Mode
	Flag   = row.Flag
)

// Accounts finds the names behind the numbers of owners and groups.
type Accounts interface {
	// User returns the name of a user id and true, or the number and false.
	User(uid uint32) (string, bool)
	// Group returns the name of a group id and true, or the number and false.
	Group(gid uint32) (string, bool)
	// UserDoubted and GroupDoubted report whether a number may have a name although none was found.
	UserDoubted(uid uint32) bool
	GroupDoubted(gid uint32) bool
}

// Context is what values depend on besides the entry.
type Context struct {
	AsOf     time.Time // the moment that ages are counted from
	Accounts Accounts
	Paths    bool // people are shown names with their places, as there are several of these
	Relative bool // paths are from the place, not with it as it was given
}

// Field is one thing that can be known about an entry. Which of its functions
// is set depends on its type: text for Text, flag for Flag, moment for Moment,
// number for the others. Each says whether the entry has a value at all.
type Field struct {
	Name       string
	Meaning    string // one line
	Type       Type
	Needs      Facts
	Descending bool // its natural order is the greatest (newest, heaviest, true) first
	Long       bool // it is shortened where there is little room
	List       bool // in a condition, several values may be named, with commas
	Groups     bool // entries can be grouped by it, as many have the same value
	// Having says which kinds of entries can have it, and what has to be known of them for
	// that; nil for all, with Needs.
	Having []Having
	// Words are all the values that a text that is held can have, in small letters; nil
	// where there are others.
	Words []string
	// Families are words that stand for all texts that begin with them and a slash.
	Families []string
	// Sized says that it goes by the size of a file, where that is known.
	Sized bool
	// FromPlace says that its text is a path that begins with the place as it was given.
	FromPlace bool
	// Also are other words for the field, and Aliases for its values.
	Also    []string
	Aliases map[string]string
	// Roster is whose names a text is: that of an account. NoRoster for others.
	Roster Roster
	// Since is the moment that a span is counted from; nil for others.
	Since *Field
	// Mistake tells what is wrong with a text as a value, and what was likely meant, "" if
	// that cannot be told; nil where nothing can be wrong.
	Mistake func(text string) (meant string, err error)
	// Other tells that a text fits another field: the words of the test that was likely meant, its value,
	// and why; "" if it fits this one. It is nil where no text does that.
	Other func(text string) (test, value, why string)
	// Bits is the name of the field with the number of what this one shows as text, whose tests are
	// written in letters, too; "" for others.
	Bits string
	// Lasting says that something has the same value as long as it has its path and its kind.
	Lasting bool
	// Summed is what the summaries of a source may keep of it.
	Summed Summed
	// Held returns a text that the entry holds as it is; nil where it has to be made.
	Held func(e *Entry) string

	text   func(dst []byte, e *Entry, c *Context) ([]byte, bool)
	number func(e *Entry, c *Context) (int64, bool)
	moment func(e *Entry) (Time, bool)
	flag   func(e *Entry) (bool, bool)
	shown  func(dst []byte, e *Entry, c *Context) ([]byte, bool) // to people, if otherwise than to programs
	alike  func(*Entry) (of row.Likeness, end string, ok bool)   // which are shown alike, but for the ends of the texts
}

// Summed is what summaries may keep of a field of many entries, so that a test can be answered without
// these.
type Summed uint8

// What summaries may keep: pieces of names, which extensions, kinds and owners there are, and bounds of
// numbers.
const (
	NotSummed Summed = iota
	SummedName
	SummedStem
	SummedExt
	SummedKind
	SummedUID
	SummedGID
	SummedSize
	SummedDisk
	SummedModified
	SummedChanged
	SummedAccessed
	SummedCreated
)

// Having is some kinds of entries that can have a field.
type Having struct {
	Kinds []Kind
	Needs Facts
}

// Roster is a list of accounts that the system keeps.
type Roster uint8

// The lists of accounts.
const (
	NoRoster Roster = iota
	Users
	Groups
)

// ID returns the number of an entry in a list of accounts, if it is known.
func (r Roster) ID(e *Entry) (uint32, bool) {
	if r == Groups {
		return e.GID, e.Known&FactStatus != 0
	}
	return e.UID, e.Known&FactStatus != 0
}

// AppendText appends the value of a field of type Text. If there is none it
// returns dst and false.
func (f *Field) AppendText(dst []byte, e *Entry, c *Context) ([]byte, bool) {
	return f.text(dst, e, c)
}

// Number returns the value of a field of type Number, Bytes, Span or Mode.
// The numbers of Number are to be read as unsigned.
func (f *Field) Number(e *Entry, c *Context) (int64, bool) { return f.number(e, c) }

// Moment returns the value of a field of type Moment.
func (f *Field) Moment(e *Entry) (Time, bool) { return f.moment(e) }

// Flag returns the value of a field of type Flag.
func (f *Field) Flag(e *Entry) (bool, bool) { return f.flag(e) }

// Fields is the registry: every field, in the order the reference shows them.
// It is not to be altered.
var Fields = append([]Field{
	textField("name", "the name, without the folders it lies in", 0, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		return append(dst, e.Name...), true
	}).long().lasting().summed(SummedName).also("filename").held(func(e *Entry) string { return e.Name }).shownAs(func(dst []byte, e *Entry, c *Context) ([]byte, bool) {
		if c.Paths {
			return e.AppendPath(dst), true
		}
		return e.appendRelative(dst), true
	}).shownAlike(func(e *Entry) (row.Likeness, string, bool) { return row.Likeness{Thing: e.Folder}, e.Name, !e.Self }),
	textField("stem", "the name up to its last dot", 0, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		stem, _ := SplitName(e.Name)
		return append(dst, stem...), true
	}).long().lasting().summed(SummedStem),
	textField("ext", "the extension: what follows the last dot, in small letters", 0, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		_, ext := SplitName(e.Name)
		return append(dst, strings.ToLower(ext)...), ext != ""
	}).listed().grouped().lasting().summed(SummedExt).also("extension", "suffix").other(func(text string) (test, value, why string) {
		ext := strings.TrimLeft(text, "*.")
		if !strings.Contains(ext, ".") || strings.Contains(ext, ",") {
			return "", "", ""
		}
		return "name ends", "." + ext, "an extension is only what follows the last dot"
	}).refusing(func(text string) (string, error) {
		if !strings.Contains(text, ".") {
			return "", nil
		}
		var words []string
		for word := range strings.SplitSeq(text, ",") {
			words = append(words, word[strings.LastIndexByte(word, '.')+1:])
		}
		meant := strings.Join(words, ",")
		return meant, fmt.Errorf("an extension is written without its dot: ext is %s", meant)
	}),
	textField("path", "the place as it was given, joined with the path below it", 0, func(dst []byte, e *Entry, c *Context) ([]byte, bool) {
		if c != nil && c.Relative {
			return e.appendRelative(dst), true
		}
		return e.AppendPath(dst), true
	}).long().lasting().fromPlace(),
	textField("full_path", "the path from the root of the system", 0, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		return e.appendFullPath(dst), true
	}).long().lasting().also("full", "fullpath", "absolute"),
	textField("folder", "the path of the folder it lies in", 0, func(dst []byte, e *Entry, c *Context) ([]byte, bool) {
		if c != nil && c.Relative && !e.Self {
			return append(dst, cmp.Or(e.Folder.Relative(), ".")...), true
		}
		path, ok := e.FolderPath()
		return append(dst, path...), ok
	}).long().lasting().fromPlace().grouped(),
	textField("target", "what a link says it points to", FactTarget, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Known&FactTarget == 0 || e.Kind != KindLink {
			return dst, false
		}
		return append(dst, e.More.Target...), true
	}).long().only(KindLink),
	textField("type", "the media type of a file, judged by its first few kilobytes (IANA names)", FactContent, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Known&FactContent == 0 {
			return dst, false
		}
		return append(dst, e.More.Type...), e.More.Type != ""
	}).only(KindFile).shownAs(func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Kind != KindFile { // people see that it is a folder, or a link
			return append(dst, e.Kind.String()...), e.Kind != KindUnknown
		}
		if e.Known&FactContent == 0 {
			return dst, false
		}
		return append(dst, e.More.Type...), e.More.Type != ""
	}).listed().grouped().families(mediaFamilies...).other(func(text string) (test, value, why string) {
		kind := strings.ToLower(text)
		if _, also := kindAliases[kind]; !also && !slices.Contains(KindWords(), kind) {
			return "", "", ""
		}
		return "kind is", kind, "a type is a media type, such as image/png"
	}),
	textField("kind", "file, folder, link, pipe, socket, block or char (devices)", 0, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		return append(dst, e.Kind.String()...), true
	}).listed().grouped().lasting().summed(SummedKind).oneOf(KindWords()).aliases(kindAliases).
		held(func(e *Entry) string { return e.Kind.String() }),
	number("size", Bytes, true, "bytes of content of a file; only files have one", func(e *Entry) int64 { return e.Size }).onlyIf((*Entry).HasSize).only(KindFile).sized().summed(SummedSize),
	number("disk", Bytes, true, "bytes allocated on disk", func(e *Entry) int64 { return e.Disk }).summed(SummedDisk),
	number("links", Number, true, "the number of its names (hard links); for a folder, usually two more than the folders in it", func(e *Entry) int64 { return int64(e.Links) }),
	flag("hardlinked", "it has other names (hard links); folders have none", FactStatus, func(e *Entry) (bool, bool) {
		return e.Kind != KindFolder && e.Links > 1, e.Kind == KindFolder || e.Known&FactStatus != 0
	}).grouped().also("hardlink", "multilinked"),
	depthField,
	number("inode", Number, false, "its number in its file system", func(e *Entry) int64 { return int64(e.Inode) }),
	number("device", Number, false, "the number of the file system it is on", func(e *Entry) int64 { return int64(e.Device) }),
	number("uid", Number, false, "the number of the user who owns it", func(e *Entry) int64 { return int64(e.UID) }).summed(SummedUID),
	number("gid", Number, false, "the number of the group it belongs to", func(e *Entry) int64 { return int64(e.GID) }).summed(SummedGID),
	textField("owner", "the user who owns it; the number of a user without a name", FactStatus, func(dst []byte, e *Entry, c *Context) ([]byte, bool) {
		return appendAccount(dst, e, e.UID, c.Accounts.User)
	}).listed().grouped().ofRoster(Users).also("user"),
	textField("group", "the group it belongs to; the number of a group without a name", FactStatus, func(dst []byte, e *Entry, c *Context) ([]byte, bool) {
		return appendAccount(dst, e, e.GID, c.Accounts.Group)
	}).listed().grouped().ofRoster(Groups),
	number("mode", Mode, false, "permissions as four octal digits", func(e *Entry) int64 { return int64(e.Permissions) }).grouped().also("perms", "perm"),
	textField("permissions", "permissions as nine characters: owner, group, others", FactStatus, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Known&FactStatus == 0 {
			return dst, false
		}
		return e.Permissions.AppendNine(dst), true
	}).bits("mode").shownAs(func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Known&FactStatus == 0 {
			return dst, false
		}
		return e.Permissions.appendTriads(dst), true
	}).shownAlike(func(e *Entry) (row.Likeness, string, bool) {
		return row.Likeness{Number: uint64(e.Permissions)}, "", e.Known&FactStatus != 0
	}),
	modifiedField,
	moment("accessed", "when it was last read", FactStatus, func(e *Entry) Time { return e.Accessed }).also("atime", "read").summed(SummedAccessed),
	moment("changed", "when its details (name count, owner, permissions) or content last altered", FactStatus, func(e *Entry) Time { return e.Changed }).also("ctime").summed(SummedChanged),
	moment("created", "when it was created, if the file system records that", FactCreated, func(e *Entry) Time {
		if e.More == nil {
			return Time{}
		}
		return e.More.Created
	}).also("birth", "btime", "born").summed(SummedCreated),
	ageField,
	flag("empty", "a file of no bytes, or a folder with nothing in it", FactStatus|FactInside, emptiness).having(
		Having{[]Kind{KindFile}, FactStatus}, Having{[]Kind{KindFolder}, FactInside}).sized(),
	flag("hidden", "its name starts with a dot, or a flag of the system hides it", hiddenNeeds, func(e *Entry) (bool, bool) { return e.Hidden(), true }).grouped(),
	flag("awkward", "its name is hard to type: a dash or a space in front, a space at its end, quotes, \\ $ ! * ? or invisible characters in it", 0, func(e *Entry) (bool, bool) { return AwkwardName(e.Name), true }).grouped(),
	textField("unfit", "which of fat32, exfat, ntfs and iso9660 cannot hold its name, kind or size", FactStatus, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Kind == KindUnknown || e.Kind == KindFile && e.Known&FactStatus == 0 {
			return dst, false
		}
		return appendUnfit(dst, e)
	}).having(Having{[]Kind{KindFile}, FactStatus}, Having{[]Kind{KindFolder, KindLink, KindPipe, KindSocket, KindBlock, KindChar}, 0}).sized().grouped(),
	flag("clashes", "another name in its folder differs only in capital and small letters, which some systems treat as equal", FactTwins, func(e *Entry) (bool, bool) {
		return e.Marks&MarkTwin != 0, e.Known&FactTwins != 0
	}).grouped(),
	mark("executable", "a file that you may run", FactExecutable, MarkExecutable).only(KindFile, KindLink),
	mark("readable", "you may read it", FactReadable, MarkReadable),
	mark("writable", "you may write to it", FactWritable, MarkWritable),
	flag("broken", "a link that leads nowhere", FactReach, func(e *Entry) (bool, bool) {
		return e.Kind == KindLink && e.Marks&MarkReaches == 0, e.Kind != KindLink || e.Known&FactReach != 0
	}).only(KindLink),
	permission("setuid", "runs with the rights of its owner", SetUser),
	permission("setgid", "runs with the rights of its group; what is created in such a folder gets its group", SetGroup),
	permission("sticky", "a folder in which you may remove or rename only what you own", Sticky),
	flag("sparse", "a file with fewer bytes on disk than in its content", FactStatus, func(e *Entry) (bool, bool) {
		return e.Kind == KindFile && e.Disk < e.Size, e.Known&FactStatus != 0 && e.Marks&MarkUnsized == 0
	}).only(KindFile).sized(),
	flag("mislabelled", "a file whose content does not fit its extension", FactContent, func(e *Entry) (bool, bool) {
		return e.Marks&MarkMislabelled != 0, e.Kind != KindFile || e.Known&FactContent != 0
	}).only(KindFile),
	textField("text", "in a condition, the text in a file, line by line; as a column, the first line that matches", FactText, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Known&FactText == 0 || e.More == nil || e.More.Lines.Number == 0 {
			return dst, false
		}
		return append(dst, e.More.Lines.First...), true
	}).only(KindFile).long().also("content", "contents", "inside"),
	{Name: "line", Type: Number, Needs: FactText, Meaning: "the number of the line that is shown as text",
		number: func(e *Entry, _ *Context) (int64, bool) {
			if e.Known&FactText == 0 || e.More == nil || e.More.Lines.Number == 0 {
				return 0, false
			}
			return e.More.Lines.Number, true
		}},
}, append(detailFields(), digests()...)...)

func digests() (fields []Field) {
	for _, a := range Algorithms {
		fields = append(fields, digest(a))
	}
	return fields
}

func digest(a Algorithm) Field {
	return textField(a.Name, "the digest of a file's content: "+a.Standard, a.Fact, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
		if e.Known&a.Fact == 0 {
			return dst, false
		}
		return hex.AppendEncode(dst, []byte(e.More.Digests.Sum(a.Fact))), true
	}).only(KindFile).grouped()
}

var depthField = Field{
	Name: "depth", Type: Number, Groups: true, Lasting: true, Meaning: "how deep it is: 1 for an entry directly in the place",
	number: func(e *Entry, _ *Context) (int64, bool) { return int64(e.Depth()), true },
}

var modifiedField = moment("modified", "when its content was last altered", FactStatus, func(e *Entry) Time { return e.Modified }).also("mtime", "date").summed(SummedModified)

var ageField = Field{
	Name: "age", Type: Span, Since: &modifiedField, Descending: true, Needs: FactStatus, Meaning: "how long ago its content was last altered, in seconds",
	number: func(e *Entry, c *Context) (int64, bool) {
		return e.Modified.Until(TimeOf(c.AsOf)), e.Known&FactStatus != 0
	},
}

func textField(name, meaning string, needs Facts, get func([]byte, *Entry, *Context) ([]byte, bool)) Field {
	return Field{Name: name, Meaning: meaning, Type: Text, Needs: needs, text: get}
}

func number(name string, t Type, descending bool, meaning string, get func(*Entry) int64) Field {
	return Field{Name: name, Meaning: meaning, Type: t, Needs: FactStatus, Descending: descending,
		number: func(e *Entry, _ *Context) (int64, bool) { return get(e), e.Known&FactStatus != 0 }}
}

// long makes it a field that is shortened where there is little room.
func (f Field) long() Field {
	f.Long = true
	return f
}

// only makes it a field that only some kinds of entries have.
func (f Field) only(kinds ...Kind) Field { return f.having(Having{kinds, f.Needs}) }

func (f Field) having(kinds ...Having) Field {
	f.Having = kinds
	return f
}

// sized makes it a field that goes by the size of a file.
func (f Field) sized() Field {
	f.Sized = true
	return f
}

// fromPlace makes it a path that begins with the place.
func (f Field) fromPlace() Field {
	f.FromPlace = true
	return f
}

// lasting makes it a field that is the same as long as the path and the kind are.
func (f Field) lasting() Field {
	f.Lasting = true
	return f
}

// summed makes it a field that summaries may keep something of.
func (f Field) summed(s Summed) Field {
	f.Summed = s
	return f
}

// bits makes it a field whose tests may be of the letters of another one, of numbers.
func (f Field) bits(name string) Field {
	f.Bits = name
	return f
}

// other makes it a field that some text is no value of, but of another.
func (f Field) other(meant func(text string) (test, value, why string)) Field {
	f.Other = meant
	return f
}

// grouped makes it a field that entries can be grouped by.
func (f Field) grouped() Field {
	f.Groups = true
	return f
}

// kindAliases are other words for kinds.
var kindAliases = map[string]string{"dir": "folder", "directory": "folder", "folders": "folder", "directories": "folder", "dirs": "folder", "files": "file", "symlink": "link", "links": "link", "symlinks": "link", "shortcut": "link", "fifo": "pipe", "device": "block,char"}

// mediaFamilies are the top-level media types that IANA has.
var mediaFamilies = []string{"application", "audio", "font", "image", "message", "model", "multipart", "text", "video"}

// families makes it a field of texts in families.
func (f Field) families(words ...string) Field {
	f.Families = words
	f.Mistake = func(given string) (string, error) {
		for word := range strings.SplitSeq(strings.ToLower(given), ",") {
			if strings.Contains(word, "/") || slices.Contains(words, word) {
				continue
			}
			if near := text.Nearest(word, words); near != "" {
				return near, fmt.Errorf("there is no family %s; did you mean %s?", word, near)
			}
			return "", fmt.Errorf("write a media type such as image/jpeg, or a family: %s", strings.Join(words, ", "))
		}
		return "", nil
	}
	return f
}

// also gives the field other words that people have for it.
func (f Field) also(words ...string) Field {
	f.Also = words
	return f
}

// aliases gives values of the field other words.
func (f Field) aliases(words map[string]string) Field {
	f.Aliases = words
	return f
}

// oneOf makes it a field that has one of some words.
func (f Field) oneOf(words []string) Field {
	f.Words = words
	return f
}

// ofRoster makes it a field of the names of accounts.
func (f Field) ofRoster(r Roster) Field {
	f.Roster = r
	return f.shownAlike(func(e *Entry) (row.Likeness, string, bool) {
		id, known := r.ID(e)
		return row.Likeness{Number: uint64(id)}, "", known
	})
}

// refusing makes it a field that some text cannot be a value of.
func (f Field) refusing(mistake func(text string) (string, error)) Field {
	f.Mistake = mistake
	return f
}

// held makes it a field that entries hold as it is.
func (f Field) held(get func(*Entry) string) Field {
	f.Held = get
	return f
}

// listed makes it a field of which a condition may name several values.
func (f Field) listed() Field {
	f.List = true
	return f
}

// shownAs makes it a field that people are shown otherwise than programs.
func (f Field) shownAs(shown func([]byte, *Entry, *Context) ([]byte, bool)) Field {
	f.shown = shown
	return f
}

// shownAlike says which entries are shown alike, but for the ends of the texts.
func (f Field) shownAlike(alike func(*Entry) (of row.Likeness, end string, ok bool)) Field {
	f.alike = alike
	return f
}

// onlyIf gives the field a value only where the condition holds.
func (f Field) onlyIf(holds func(*Entry) bool) Field {
	get := f.number
	f.number = func(e *Entry, c *Context) (int64, bool) {
		if !holds(e) {
			return 0, false
		}
		return get(e, c)
	}
	return f
}

func moment(name, meaning string, needs Facts, get func(*Entry) Time) Field {
	return Field{Name: name, Meaning: meaning, Type: Moment, Needs: needs, Descending: true,
		moment: func(e *Entry) (Time, bool) { return get(e), e.Known&needs != 0 }}
}

func flag(name, meaning string, needs Facts, get func(*Entry) (bool, bool)) Field {
	return Field{Name: name, Meaning: meaning, Type: Flag, Needs: needs, Descending: true, flag: get}
}

func mark(name, meaning string, needs Facts, mark Marks) Field {
	return flag(name, meaning, needs, func(e *Entry) (bool, bool) { return e.Marks&mark != 0, e.Known&needs != 0 })
}

func permission(name, meaning string, bit Permissions) Field {
	return flag(name, meaning, FactStatus, func(e *Entry) (bool, bool) {
		return e.Permissions&bit != 0, e.Known&FactStatus != 0
	})
}

func emptiness(e *Entry) (bool, bool) {
	switch e.Kind {
	case KindFile:
		return e.Size == 0, e.HasSize()
	case KindFolder:
		return e.Marks&MarkVoid != 0, e.Known&FactInside != 0
	}
	return false, true
}

func appendAccount(dst []byte, e *Entry, id uint32, lookup func(uint32) (string, bool)) ([]byte, bool) {
	if e.Known&FactStatus == 0 {
		return dst, false
	}
	name, _ := lookup(id)
	return append(dst, name...), true
}

// Knows reports whether the value of the field is known, or that there is none. It is false if there may be a value
// that could not be found out.
func (f *Field) Knows(e *Entry) bool {
	if f.Sized && e.Marks&MarkUnsized != 0 {
		return false
	}
	needs := f.Needs
	if f.Having != nil {
		if e.Kind == KindUnknown { // it may be of any
			return false
		}
		i := slices.IndexFunc(f.Having, func(h Having) bool { return slices.Contains(h.Kinds, e.Kind) })
		if i < 0 {
			return true // nothing of that kind has it
		}
		needs = f.Having[i].Needs
	}
	return e.Known.Has(needs)
}

// Valued reports whether an entry has a value of the field, as far as it is known.
func (f *Field) Valued(e *Entry, c *Context) (has bool) {
	switch f.Type {
	case Text:
		_, has = f.text(nil, e, c)
	case Moment:
		_, has = f.moment(e)
	case Flag:
		_, has = f.flag(e)
	default:
		_, has = f.number(e, c)
	}
	return has
}

// FieldNamed returns the field of that name, in any letter case, or nil.
func FieldNamed(name string) *Field {
	for i := range Fields {
		if strings.EqualFold(Fields[i].Name, name) {
			return &Fields[i]
		}
	}
	return nil
}

// FieldSaid returns the field of that name, or of another word for it, or nil.
func FieldSaid(word string) *Field {
	if f := FieldNamed(word); f != nil {
		return f
	}
	for i := range Fields {
		for _, also := range Fields[i].Also {
			if strings.EqualFold(also, word) {
				return &Fields[i]
			}
		}
	}
	return nil
}

// FieldNames lists the names of all fields.
func FieldNames() []string {
	names := make([]string, len(Fields))
	for i := range Fields {
		names[i] = Fields[i].Name
	}
	return names
}

// ErrField is returned for the name of a field that does not exist.
var ErrField = errors.New("no such field")

// LookupField returns the field of that name, or an error that names the most
// similar one.
func LookupField(name string) (*Field, error) {
	if field := FieldSaid(name); field != nil {
		return field, nil
	}
	if near := text.Nearest(name, FieldNames()); near != "" {
		return nil, fmt.Errorf("%w: %q; did you mean %s?", ErrField, name, near)
	}
	return nil, fmt.Errorf("%w: %q; \"frank fields\" lists them", ErrField, name)
}

// Rank turns a value of Number into an unsigned number in the same order.
func (f *Field) Rank(value int64) uint64 {
	if f.Type == Number {
		return uint64(value)
	}
	return uint64(value) ^ 1<<63
}
