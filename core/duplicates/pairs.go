package duplicates

import (
	"bytes"
	"cmp"
	"slices"

	"frankledger/core/digest"
)

// readPairs decides on classes of two files. Both are read side by side and
// compared byte by byte, which costs far less than a second digest. Those that
// differ are left out, or settled.
func (s *search) readPairs(classes [][]*file) (same [][]*file, err error) {
	slices.SortFunc(classes, func(a, b []*file) int { // large ones first, the rest as they lie on disk
		x, y := a[0].first, b[0].first
		return cmp.Or(cmp.Compare(y.Size/digest.Large, x.Size/digest.Large), cmp.Compare(x.Device, y.Device), cmp.Compare(x.Inode, y.Inode))
	})
	alike := make([]bool, len(classes))
	for _, class := range classes {
		s.pool.Expect(2 * class[0].first.Size)
	}
	if err := s.pool.Share(s.ctx, len(classes), func(w *digest.Worker, at int) {
		a, b := classes[at][0], classes[at][1]
		a.failed = !w.Open(a.first, "read", func(x digest.File) error {
			var broken error // of the first, found while the second is open
			b.failed = !w.OpenAlso(b.first, "read", func(y digest.File) error {
				var err error
				alike[at], broken, err = s.readPair(w, a, b, x, y)
				return err
			})
			return broken
		})
	}); err != nil {
		return nil, err
	}
	for i, class := range classes {
		class = slices.DeleteFunc(class, func(f *file) bool { return f.failed })
		if len(class) == 2 && !alike[i] {
			same = s.keep(s.keep(same, class[:1:1]), class[1:])
			continue
		}
		same = s.keep(same, class)
	}
	return same, nil
}

// readPair reads two open files side by side. The errors are of the first and
// of the second.
func (s *search) readPair(w *digest.Worker, a, b *file, x, y digest.File) (alike bool, first, second error) {
	digester := w.Digester(s.o.Algorithm.Fact)
	alike = true
	first, second = w.Together(x, y, [2]int64{a.first.Size, a.first.Size}, func(_ int64, mine, other []byte) bool {
		if alike = bytes.Equal(mine, other); alike {
			digester.Write(mine)
		}
		return alike
	})
	switch {
	case first != nil || second != nil:
		return false, first, second
	case !alike:
		return false, x.Unchanged(-1), y.Unchanged(-1)
	}
	a.extents, b.extents = x.Extents(), y.Extents()
	digests := digester.Sums()
	w.Set(a.first, digests)
	w.Set(b.first, digests)
	return true, x.Unchanged(a.first.Size), y.Unchanged(a.first.Size)
}
