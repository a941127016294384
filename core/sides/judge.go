package sides

import (
	"slices"

	"frankledger/core/entry"
)

// Difference is how two entries under one path differ.
type Difference uint8

const (
	Same    Difference = iota
	Altered            // content, kind, or where a link points
	Details            // permissions, owner, group, attributes, or when a file was last modified
	Unknown
)

// Differing returns the names of the fields that differ: first those that make another thing of it,
// then those that are details.
func Differing(a, b *entry.Entry) (altered, details []string) {
	add := func(to *[]string, name string, differs bool) {
		if differs {
			*to = append(*to, name)
		}
	}
	add(&altered, "kind", a.Kind != b.Kind)
	if a.Kind == b.Kind {
		add(&altered, "size", a.Kind == entry.KindFile && OtherSize(a, b))
		add(&altered, "target", a.Kind == entry.KindLink && target(a) != target(b))
	}
	add(&details, "mode", a.Kind != entry.KindLink && b.Kind != entry.KindLink && a.Permissions != b.Permissions)
	add(&details, "owner", a.UID != b.UID)
	add(&details, "group", a.GID != b.GID)
	add(&details, "modified", a.Kind == entry.KindFile && b.Kind == entry.KindFile && a.Modified != b.Modified)
	if both := entry.FactXattrs | entry.FactFlags; a.Known.Has(both) && b.Known.Has(both) && a.More.Details != nil && b.More.Details != nil {
		x, y := a.More.Details, b.More.Details
		add(&details, "acl", !slices.Equal(x.Access, y.Access) || !slices.Equal(x.Default, y.Default))
		add(&details, "xattrs", !slices.Equal(x.Xattrs, y.Xattrs))
		add(&details, "capabilities", x.Capabilities != y.Capabilities)
		add(&details, "flags", !slices.Equal(x.Flags, y.Flags))
	}
	return altered, details
}

// OtherSize reports whether two files are known to be of other sizes.
func OtherSize(a, b *entry.Entry) bool { return a.HasSize() && b.HasSize() && a.Size != b.Size }

// target returns where a link points, as far as that is known.
func target(e *entry.Entry) string {
	if e.More == nil {
		return ""
	}
	return e.More.Target
}

// CommonDigest returns a digest that is known of both, 0 if there is none.
func CommonDigest(a, b *entry.Entry) entry.Facts {
	return (&entry.Entry{Known: a.Known & b.Known}).FirstDigest()
}

// OtherContent reports whether two files with a digest in common have other content.
func OtherContent(a, b *entry.Entry) bool {
	fact := CommonDigest(a, b)
	return a.More.Digests.Sum(fact) != b.More.Digests.Sum(fact)
}

// AskContent reports whether content tells more of a pair than its sizes do.
func AskContent(a, b *entry.Entry) bool {
	return a.Kind == entry.KindFile && b.Kind == entry.KindFile && !OtherSize(a, b) && !(a.HasSize() && b.HasSize() && a.Size == 0)
}

// Judge says how two entries differ if their content cannot be read: by digests or, without these, by the time of
// modification.
func Judge(a, b *entry.Entry) Difference {
	if !a.Known.Has(entry.FactStatus) || !b.Known.Has(entry.FactStatus) {
		return Unknown
	}
	altered, details := Differing(a, b)
	switch ask := AskContent(a, b); {
	case len(altered) > 0, ask && CommonDigest(a, b) != 0 && OtherContent(a, b):
		return Altered
	case ask && CommonDigest(a, b) == 0 && !(a.HasSize() && b.HasSize()):
		return Unknown
	case ask && CommonDigest(a, b) == 0 && a.Modified != b.Modified:
		return Altered
	case len(details) > 0:
		return Details
	}
	return Same
}
