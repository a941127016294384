package media

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"time"
)

// ErrNotTaken is returned for what does not tell when it was taken.
var ErrNotTaken = errors.New("it does not say when it was taken")

// farthest is how much of a picture is read to find when it was taken: what tells is near the start.
const farthest = 1 << 20

// Taken returns the day and time at which a picture was taken, as its own data has it (Exif 2.3, DateTimeOriginal): by
// the clock of the camera, which says nothing of its zone. It reads JPEG, TIFF and the raw forms that are made like
// it, PNG, WebP and HEIF.
func Taken(picture io.Reader) (time.Time, error) {
	head, err := io.ReadAll(io.LimitReader(picture, farthest))
	if err != nil {
		return time.Time{}, err
	}
	for _, data := range exifOf(head) {
		if t, is := original(data); is {
			return t, nil
		}
	}
	return time.Time{}, ErrNotTaken
}

// exifMark stands before Exif data in most pictures.
var exifMark = []byte("Exif\x00\x00")

// exifOf returns where Exif data may begin in a picture.
func exifOf(head []byte) (found [][]byte) {
	switch {
	case bytes.HasPrefix(head, []byte("II*\x00")), bytes.HasPrefix(head, []byte("MM\x00*")):
		return [][]byte{head}
	case bytes.HasPrefix(head, []byte("\x89PNG\r\n\x1a\n")):
		return chunks(head[8:], binary.BigEndian, "eXIf", 4, 4)
	case bytes.HasPrefix(head, []byte("RIFF")) && len(head) >= 12 && string(head[8:12]) == "WEBP":
		for _, data := range chunks(head[12:], binary.LittleEndian, "EXIF", 0, 0) {
			found = append(found, bytes.TrimPrefix(data, exifMark))
		}
		return found
	case bytes.HasPrefix(head, []byte("\xff\xd8")), len(head) >= 12 && string(head[4:8]) == "ftyp":
		// In a segment of its own, or an item that some box tells the place of: the mark tells it, too.
		for rest := head; len(found) < 8; {
			at := bytes.Index(rest, exifMark)
			if at < 0 {
				break
			}
			rest = rest[at+len(exifMark):]
			found = append(found, rest)
		}
	}
	return found
}

// chunks returns the data of the chunks of that name. Each is a length and a name, in the order that the form has, the
// data, and so many bytes after it.
func chunks(rest []byte, order binary.ByteOrder, name string, nameAt, after int) (found [][]byte) {
	for len(rest) >= 8 {
		length := uint64(order.Uint32(rest[4-nameAt:]))
		is := string(rest[nameAt:nameAt+4]) == name
		rest = rest[8:]
		if length > uint64(len(rest)) {
			break
		}
		if is {
			found = append(found, rest[:length])
		}
		if nameAt == 0 { // RIFF has chunks of even length
			length += length % 2
		}
		if length+uint64(after) > uint64(len(rest)) {
			break
		}
		rest = rest[length+uint64(after):]
	}
	return found
}

// The tags that lead to when a picture was taken, and how that is written.
const (
	exifIFD          = 0x8769
	dateTimeOriginal = 0x9003
	exifTime         = "2006:01:02 15:04:05"
)

// original reads the time from Exif data, which is made as TIFF 6.0 is.
func original(data []byte) (t time.Time, is bool) {
	if len(data) < 8 {
		return t, false
	}
	var order binary.ByteOrder = binary.LittleEndian
	switch string(data[:4]) {
	case "II*\x00":
	case "MM\x00*":
		order = binary.BigEndian
	default:
		return t, false
	}
	// value returns the four bytes of the value of a tag in the directory at a place.
	value := func(at uint32, tag uint16) (uint32, bool) {
		if uint64(at)+2 > uint64(len(data)) {
			return 0, false
		}
		entries := data[at+2:]
		for range order.Uint16(data[at:]) {
			if len(entries) < 12 {
				break
			}
			if order.Uint16(entries) == tag {
				return order.Uint32(entries[8:]), true
			}
			entries = entries[12:]
		}
		return 0, false
	}
	at, has := value(order.Uint32(data[4:]), exifIFD)
	if has {
		at, has = value(at, dateTimeOriginal)
	}
	if !has || uint64(at)+uint64(len(exifTime)) > uint64(len(data)) {
		return t, false
	}
	t, err := time.Parse(exifTime, string(data[at:int(at)+len(exifTime)]))
	return t, err == nil
}
