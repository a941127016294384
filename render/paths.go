package render

import (
	"strconv"
	"strings"

	"frankledger/core/digest"
	"frankledger/core/entry"
)

// paths writes the path of each entry, its exact bytes, with an end after it.
// Straight onto a terminal the bytes are escaped, since there they would act.
type paths struct {
	view *View
	end  byte
}

func (p paths) Begin(dst []byte) []byte { return dst }

func (p paths) Row(dst []byte, e *entry.Entry) []byte {
	if p.view.Escape {
		dst = append(dst, Escaped(e.Path())...)
	} else {
		dst = e.AppendPath(dst)
	}
	return append(dst, p.end)
}

func (p paths) End(dst []byte, _ *Summary) []byte { return dst }

// count writes only how many entries there are.
type count struct{}

func (count) Begin(dst []byte) []byte { return dst }

func (count) Row(dst []byte, _ *entry.Entry) []byte { return dst }

func (count) End(dst []byte, s *Summary) []byte {
	return append(strconv.AppendInt(dst, s.Matched.Entries(), 10), '\n')
}

// list writes the full path of each entry, its exact bytes, a line each; if one
// of them has a line break in it, with NUL after each instead.
type list struct{ end byte }

func (l *list) Measure(e *entry.Entry) {
	if strings.Contains(e.Name, "\n") || strings.Contains(e.Folder.FullPath(), "\n") {
		l.end = 0
	}
}

func (l *list) Fresh() Measurer { return &list{end: '\n'} }

func (l *list) Join(fresh Measurer) { l.end = min(l.end, fresh.(*list).end) }

func (l *list) Begin(dst []byte) []byte { return dst }

func (l *list) Row(dst []byte, e *entry.Entry) []byte {
	dst = append(dst, e.Folder.FullPath()...)
	if !e.Self {
		if dst[len(dst)-1] != '/' {
			dst = append(dst, '/')
		}
		dst = append(dst, e.Name...)
	}
	return append(dst, l.end)
}

func (l *list) End(dst []byte, _ *Summary) []byte { return dst }

// manifest writes lines of digest, space, path (RFC 8493).
type manifest struct{}

func (manifest) Begin(dst []byte) []byte { return dst }

func (manifest) Row(dst []byte, e *entry.Entry) []byte {
	sum, path, ok := e.More.Row.(interface {
		ManifestLine() (digest, path string, ok bool)
	}).ManifestLine()
	if !ok {
		return dst
	}
	return digest.AppendManifestLine(dst, sum, path)
}

func (manifest) End(dst []byte, _ *Summary) []byte { return dst }
