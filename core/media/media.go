// Package media tells the media type of a file from how its content starts,
// and whether that is what the file's extension says.
package media

import (
	"strings"

	"github.com/gabriel-vasile/mimetype"
)

// HeadSize is how many bytes from the start of a file are enough.
const HeadSize = 3072

// Detect returns the media type of content that starts with head, by its IANA
// name where it has one, and "" for no content at all. It reports whether the
// extension (without its dot) says otherwise; an extension that is not known
// to stand for one type never does, nor does any for an empty file.
func Detect(head []byte, ext string) (found string, mislabelled bool) {
	if len(head) == 0 {
		return "", false
	}
	detected := mimetype.Detect(head)
	found, _, _ = strings.Cut(detected.String(), ";")
	found = corrected(found, head, ext)
	expected, known := extensions[strings.ToLower(ext)]
	if !known {
		return found, false
	}
	for at := detected; at != nil; at = at.Parent() {
		for _, mime := range expected {
			if at.Is(mime) {
				return found, false
			}
		}
	}
	return found, true
}

// Extension returns the usual extension of a media type, without its dot; "" if it has
// none.
func Extension(found string) string {
	if m := mimetype.Lookup(found); m != nil {
		return strings.TrimPrefix(m.Extension(), ".")
	}
	return ""
}

// IsText reports whether content that starts with head is text that people read.
func IsText(head []byte) bool {
	for at := mimetype.Detect(head); at != nil; at = at.Parent() {
		if at.Is("text/plain") {
			return true
		}
	}
	return false
}

// Types that many extensions stand for.
var (
	plain = []string{"text/plain"}
	mpeg4 = []string{"video/mp4", "audio/mp4", "video/quicktime", "audio/x-m4a", "video/x-m4v", "video/3gpp", "video/3gpp2"}
	ogg   = []string{"application/ogg", "audio/ogg", "video/ogg"}
	zip   = []string{"application/zip"}
	ole   = []string{"application/x-ole-storage"}
	tiff  = []string{"image/tiff"}
	asf   = []string{"video/x-ms-asf"}
)

// extensions lists what the content of a file must be for its extension to be
// right: this type or one derived from it. Only types whose files can be told
// by how they start are here, so that a file is never accused in doubt.
var extensions = map[string][]string{
	"7z": {"application/x-7z-compressed"}, "avi": {"video/x-msvideo"}, "avif": {"image/avif"},
	"bmp": {"image/bmp"}, "bz2": {"application/x-bzip2"}, "class": {"application/x-java-applet", "application/java-vm"},
	"doc": ole, "docx": zip, "xls": ole, "xlsx": zip, "ppt": ole, "pptx": zip,
	"odt": zip, "ods": zip, "odp": zip, "epub": zip, "jar": zip, "zip": zip, "kmz": zip,
	"flac": {"audio/flac"}, "gif": {"image/gif"}, "gz": {"application/gzip"}, "tgz": {"application/gzip"},
	"heic": {"image/heic", "image/heif"}, "jpeg": {"image/jpeg"}, "jpg": {"image/jpeg"}, "jxl": {"image/jxl"},
	"m4a": mpeg4, "m4v": mpeg4, "mov": mpeg4, "mp4": mpeg4,
	"mid": {"audio/midi"}, "mkv": {"video/x-matroska", "video/webm"}, "webm": {"video/webm", "video/x-matroska"},
	"oga": ogg, "ogg": ogg, "ogv": ogg, "opus": ogg,
	"pdf": {"application/pdf"}, "png": {"image/png"}, "psd": {"image/vnd.adobe.photoshop"}, "rar": {"application/x-rar-compressed"},
	"rtf": {"text/rtf"}, "sqlite": {"application/vnd.sqlite3"}, "tif": tiff, "tiff": tiff, "wasm": {"application/wasm"},
	"wav": {"audio/wav"}, "webp": {"image/webp"}, "wma": asf, "wmv": asf, "woff": {"font/woff"}, "woff2": {"font/woff2"},
	"xz": {"application/x-xz"}, "zst": {"application/zstd"},

	"c": plain, "conf": plain, "css": plain, "csv": plain, "go": plain, "h": plain, "htm": plain, "html": plain, "ini": plain,
	"js": plain, "json": plain, "jsonl": plain, "log": plain, "md": plain, "py": plain, "rs": plain, "sh": plain, "svg": plain,
	"toml": plain, "tsv": plain, "txt": plain, "xml": plain, "yaml": plain, "yml": plain,
}
