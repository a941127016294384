package entry

import (
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Details are facts of an Entry that systems have besides those of POSIX.
type Details struct {
	Xattrs       []string // names of extended attributes, in order, but for access lists
	Access       AccessList
	Default      AccessList // of a folder: for what is made in it
	Capabilities string     // what a program may do beyond what its user may
	Flags        []string   // immutable, append-only and the like
	Filesystem   string     // kind of file system, as the system calls it
	Mount        string     // where that is mounted
}

// AccessList says who may do what, besides the permissions: as Linux has it after the withdrawn draft 17 of POSIX
// 1003.1e.
type AccessList []AccessEntry

// AccessEntry is what somebody may do.
type AccessEntry struct {
	Who AccessWho
	ID  uint32      // of a user or group that is named
	May Permissions // three bits: read, write, execute
}

// AccessWho is whom an entry of an access list is about.
type AccessWho uint16

const (
	AccessOwner      AccessWho = 1 << iota // the owner
	AccessUser                             // a user that is named
	AccessGroup                            // the group
	AccessNamedGroup                       // a group that is named
	AccessMask                             // most that named users, named groups and the group may do
	AccessOther                            // all others
)

// ErrAccessList is returned for an access list of another form.
var ErrAccessList = errors.New("the form of the access list is unknown")

// ParseAccessList reads an access list from the extended attribute that holds it.
func ParseAccessList(raw []byte) (list AccessList, err error) {
	const version, heading, size = 2, 4, 8
	if len(raw) < heading || (len(raw)-heading)%size != 0 || binary.LittleEndian.Uint32(raw) != version {
		return nil, ErrAccessList
	}
	for at := heading; at < len(raw); at += size {
		list = append(list, AccessEntry{Who: AccessWho(binary.LittleEndian.Uint16(raw[at:])),
			May: Permissions(binary.LittleEndian.Uint16(raw[at+2:])) & 7, ID: binary.LittleEndian.Uint32(raw[at+4:])})
	}
	return list, nil
}

// May returns what an entry of the list lets somebody do, within the mask.
func (l AccessList) May(e AccessEntry) Permissions {
	if e.Who == AccessOwner || e.Who == AccessOther {
		return e.May
	}
	for _, mask := range l {
		if mask.Who == AccessMask {
			return e.May & mask.May
		}
	}
	return e.May
}

// Within returns permissions with what the group may do: where there is a list, their bits
// of the group are the mask of the list.
func (l AccessList) Within(p Permissions) Permissions {
	for _, e := range l {
		if e.Who == AccessGroup {
			return p&^0o070 | l.May(e)<<3
		}
	}
	return p
}

// Words who may do something, from few to many.
const (
	nobody = iota
	onlyOwner
	someOthers
	everyone
)

var whoWords = []string{"nobody", "owner", "some", "everyone"}

// widest returns how many may do what one bit of three says: by the permissions, and the
// access list.
func (e *Entry) widest(bit Permissions) int {
	p := e.Permissions
	if p&bit != 0 {
		return everyone
	}
	list := e.details().Access
	if list == nil {
		if p>>3&bit != 0 {
			return someOthers
		}
	}
	for _, one := range list {
		switch one.Who {
		case AccessUser, AccessGroup, AccessNamedGroup:
			if list.May(one)&bit != 0 {
				return someOthers
			}
		}
	}
	if p>>6&bit != 0 {
		return onlyOwner
	}
	return nobody
}

var noDetails Details

func (e *Entry) details() *Details {
	if e.More == nil || e.More.Details == nil {
		return &noDetails
	}
	return e.More.Details
}

// Details returns what is known of an entry besides the facts of POSIX; its facts tell what that is.
func (e *Entry) Details() *Details { return e.details() }

// capabilityNames are those of Linux, by their numbers.
var capabilityNames = strings.Fields(`chown dac_override dac_read_search fowner fsetid kill setgid setuid setpcap linux_immutable net_bind_service
	net_broadcast net_admin net_raw ipc_lock ipc_owner sys_module sys_rawio sys_chroot sys_ptrace sys_pacct sys_admin sys_boot sys_nice sys_resource
	sys_time sys_tty_config mknod lease audit_write audit_control setfcap mac_override mac_admin syslog wake_alarm block_suspend audit_read perfmon bpf
	checkpoint_restore`)

// ParseCapabilities reads the attribute security.capability (capabilities(7)), and returns
// the names of what is permitted, in order, with commas; those that the program has to ask
// for itself, and those that it may only inherit, are marked as such.
func ParseCapabilities(raw []byte) (string, error) {
	if len(raw) < 4 {
		return "", errCapabilities
	}
	magic := binary.LittleEndian.Uint32(raw)
	sets := map[uint32]int{0x01000000: 1, 0x02000000: 2, 0x03000000: 2}[magic&0xff000000]
	if sets == 0 || len(raw) < 4+8*sets {
		return "", errCapabilities
	}
	var permitted, inheritable uint64
	for i := range sets {
		permitted |= uint64(binary.LittleEndian.Uint32(raw[4+8*i:])) << (32 * i)
		inheritable |= uint64(binary.LittleEndian.Uint32(raw[8+8*i:])) << (32 * i)
	}
	var names []string
	for bit := range 64 {
		name := fmt.Sprint(bit)
		if bit < len(capabilityNames) {
			name = capabilityNames[bit]
		}
		switch {
		case permitted>>bit&1 != 0 && magic&1 == 0:
			names = append(names, name+" (on request)")
		case permitted>>bit&1 != 0:
			names = append(names, name)
		case inheritable>>bit&1 != 0:
			names = append(names, name+" (inheritable)")
		}
	}
	slices.Sort(names)
	return strings.Join(names, ","), nil
}

var errCapabilities = errors.New("the form of the capabilities is unknown")

// detailFields are the fields of details.
func detailFields() []Field {
	listOf := func(name, meaning string, needs Facts, get func(d *Details) string) Field {
		return textField(name, meaning, needs, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
			value := get(e.details())
			return append(dst, value...), e.Known&needs != 0 && value != ""
		})
	}
	who := func(name, meaning string, bit Permissions) Field {
		return textField(name, meaning, FactStatus|FactXattrs, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
			if e.Kind == KindLink || !e.Known.Has(FactStatus|FactXattrs) {
				return dst, false
			}
			return append(dst, whoWords[e.widest(bit)]...), true
		}).having(Having{[]Kind{KindFile, KindFolder, KindPipe, KindSocket, KindBlock, KindChar}, FactStatus | FactXattrs}).grouped().oneOf(whoWords).listed().
			held(func(e *Entry) string {
				if !e.Known.Has(FactStatus | FactXattrs) {
					return ""
				}
				return whoWords[e.widest(bit)]
			})
	}
	return []Field{
		who("readers", "who may read it, by permissions and access list: nobody, owner, some or everyone", 4),
		who("writers", "who may write to it: nobody, owner, some or everyone", 2),
		flag("acl", "there is an access list that says more than the permissions", FactXattrs, func(e *Entry) (bool, bool) {
			return e.details().Access != nil || e.details().Default != nil, e.Known&FactXattrs != 0
		}),
		listOf("xattrs", "the names of its extended attributes", FactXattrs, func(d *Details) string { return strings.Join(d.Xattrs, ",") }),
		listOf("capabilities", "what a program may do that its user may not (Linux capabilities), such as net_bind_service", FactXattrs, func(d *Details) string { return d.Capabilities }).only(KindFile),
		listOf("flags", "immutable, append-only, no-dump, compressed, encrypted, verity or dax, where the system has them", FactFlags, func(d *Details) string { return strings.Join(d.Flags, ",") }).also("attributes"),
		listOf("filesystem", "the kind of file system it is on, such as ext4", FactMount, func(d *Details) string { return d.Filesystem }).grouped().listed(),
		listOf("mount", "where that file system is mounted", FactMount, func(d *Details) string { return d.Mount }).long().grouped(),
		textField("host", "the machine that was recorded", 0, func(dst []byte, e *Entry, _ *Context) ([]byte, bool) {
			r := e.Folder.Place.Record
			if r == nil {
				return dst, false
			}
			return append(dst, r.Host...), true
		}).grouped().listed(),
	}
}
