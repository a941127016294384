package render

import (
	"cmp"

	"frankledger/core/row"
)

// New returns a format for rows: of their columns, those that are for its readers.
func New[R any](f *Form, v *View, columns []row.Column[R]) Format[R] {
	all := columns
	columns = row.Choose(columns, f.Reader)
	switch f {
	case Paths:
		return paths[R]{v, cmp.Or(row.Named(all, "path"), row.Named(all, "full_path")), '\n'}
	case Paths0:
		return paths[R]{v, cmp.Or(row.Named(all, "path"), row.Named(all, "full_path")), 0}
	case CSV:
		return csv[R]{v, columns}
	case JSON:
		return newJSONDocument(v, columns)
	case Lines:
		return jsonLines[R]{newJSONRow(v, columns)}
	case Markdown:
		return markdown[R]{v, columns}
	case HTML:
		return newHTML(v, all, columns)
	case Counted:
		return count[R]{}
	case Kept:
		return &list[R]{path: row.Named(all, "full_path"), end: '\n'}
	case Manifest:
		return manifest[R]{row.Named(all, "digest"), row.Named(all, "path")}
	}
	return newTable(v, columns, nil)
}
