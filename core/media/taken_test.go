package media_test

import (
	"bytes"
	"encoding/binary"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/media"
)

// exif is a JPEG with nothing but the time that it was taken (Exif 2.3: IFD0, which leads to the Exif IFD).
func exif(taken string) []byte {
	var t bytes.Buffer
	le := binary.LittleEndian
	put := func(values ...any) {
		for _, v := range values {
			binary.Write(&t, le, v)
		}
	}
	text := append([]byte(taken), 0)
	t.WriteString("II*\x00")
	put(uint32(8), uint16(1), uint16(0x8769), uint16(4), uint32(1), uint32(26), uint32(0))
	put(uint16(1), uint16(0x9003), uint16(2), uint32(len(text)), uint32(44), uint32(0))
	t.Write(text)
	var b bytes.Buffer
	b.WriteString("\xff\xd8\xff\xe1")
	binary.Write(&b, binary.BigEndian, uint16(2+6+t.Len()))
	b.WriteString("Exif\x00\x00")
	b.Write(t.Bytes())
	b.WriteString("\xff\xd9")
	return b.Bytes()
}

func TestTaken(t *testing.T) {
	t.Parallel()
	at, err := media.Taken(bytes.NewReader(exif("2019:06:15 20:40:05")))
	require.NoError(t, err)
	assert.Equal(t, time.Date(2019, 6, 15, 20, 40, 5, 0, time.UTC), at)
	tiff := exif("2019:06:15 20:40:05")[12:]
	png := append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\x01tEXtx\x00\x00\x00\x00"), binary.BigEndian.AppendUint32(nil, uint32(len(tiff)))...)
	png = append(append(png, "eXIf"...), tiff...)
	webp := append([]byte("RIFF\x00\x00\x00\x00WEBPVP8X\x01\x00\x00\x00x\x00EXIF"), binary.LittleEndian.AppendUint32(nil, uint32(len(tiff)))...)
	for name, content := range map[string][]byte{"tiff": tiff, "png": png, "webp": append(webp, tiff...), "heif": append([]byte("\x00\x00\x00\x18ftypheic........Exif\x00\x00"), tiff...)} {
		at, err := media.Taken(bytes.NewReader(content))
		assert.NoError(t, err, name)
		assert.Equal(t, time.Date(2019, 6, 15, 20, 40, 5, 0, time.UTC), at, name)
	}
	for name, content := range map[string][]byte{"empty": nil, "text": []byte("plain text"), "no day": exif("0000:00:00 00:00:00"), "cut off": exif("2019:06:15 20:40:05")[:40], "no exif": []byte("\xff\xd8\xff\xd9")} {
		_, err := media.Taken(bytes.NewReader(content))
		assert.Error(t, err, name)
	}
}

func FuzzTaken(f *testing.F) {
	f.Add(exif("2019:06:15 20:40:05"))
	f.Add([]byte("RIFF\x00\x00\x00\x00WEBPVP8X"))
	f.Fuzz(func(t *testing.T, content []byte) { media.Taken(bytes.NewReader(content)) })
}
