package render

import (
	"encoding/base64"
	"encoding/json"
	"unicode/utf8"

	"frankledger/core/entry"
	"frankledger/core/inspect"
	"frankledger/core/row"
	"frankledger/core/source"
)

// CardsJSON appends cards as one JSON document: entries, each with fields
// and what the card has beside, and problems.
func (v *View) CardsJSON(dst []byte, cards []*inspect.Card, fields []*entry.Field, report *source.Report) []byte {
	object := newJSONRow(v, row.Choose(entry.Columns(v.Context, fields...), row.Nested))
	dst = append(dst, "{\"entries\":["...)
	for i, c := range cards {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = object.object(append(dst, '\n'), c.Entry)
		dst = dst[:len(dst)-1] // the closing brace
		dst = appendKey(dst, "full_path", c.Entry.Folder.Place.Full)
		dst = appendKey(dst, "attributes", append([]string{}, c.Attributes...))
		if r := c.Entry.Folder.Place.Record; r != nil {
			dst = appendRecord(dst, r)
		} else {
			dst = appendKey(dst, "access_list", c.AccessList)
			dst = appendKey(dst, "enterable", c.MayEnter)
		}
		dst = appendKey(dst, "file_system", optional(c.Disk.Kind))
		dst = appendKey(dst, "mount_point", optional(c.Disk.MountPoint))
		if c.Entry.Kind == entry.KindLink {
			dst = appendKey(dst, "chain", append([]string{}, c.Chain...))
			dst = appendKey(dst, "chain_end", map[inspect.End]string{inspect.Somewhere: "there", inspect.Nowhere: "missing", inspect.Round: "circle"}[c.End])
		}
		if c.Holds != nil {
			dst = appendKey(dst, "holds", map[string]any{
				"entries": c.Holds.Entries(), "files": c.Holds.Files, "folders": c.Holds.Folders, "links": c.Holds.Links, "others": c.Holds.Others,
				"size": c.Holds.Size, "disk": c.Holds.Disk, "complete": !c.Partly,
			})
		}
		if c.Looked != nil {
			dst = appendKey(dst, "siblings", append([]string{}, c.Siblings...))
		}
		if c.Preview != nil {
			dst = appendKey(dst, "preview", c.Preview)
		}
		dst = append(dst, '}')
	}
	dst = append(dst, "\n],\n\"problems\":["...)
	return append(appendProblems(dst, report.Problems), "]}\n"...)
}

// optional turns empty text into null.
func optional(text string) any {
	if text == "" {
		return nil
	}
	return text
}

// appendKey appends a further key of an object. Text and lists of text that are
// no UTF-8 stand beside it in base64.
func appendKey(dst []byte, key string, value any) []byte {
	dst = append(append(append(dst, `,"`...), key...), `":`...)
	switch value := value.(type) {
	case string:
		dst = appendJSONText(dst, value)
		if !utf8.ValidString(value) {
			dst = appendKey(dst, key+"_base64", base64.StdEncoding.EncodeToString([]byte(value)))
		}
		return dst
	case []string:
		dst = append(dst, '[')
		valid := true
		coded := []string{}
		for i, text := range value {
			if i > 0 {
				dst = append(dst, ',')
			}
			dst = appendJSONText(dst, text)
			valid = valid && utf8.ValidString(text)
			coded = append(coded, base64.StdEncoding.EncodeToString([]byte(text)))
		}
		dst = append(dst, ']')
		if !valid {
			dst = appendKey(dst, key+"_base64", coded)
		}
		return dst
	}
	text, err := json.Marshal(value)
	if err != nil {
		panic(err) // only numbers, truth values, null and maps of these are given
	}
	return append(dst, text...)
}
