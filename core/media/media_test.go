package media_test

import (
	"bytes"
	"image"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/media"
)

// elf is the start of a file that can be loaded anywhere, with one program header (System V ABI).
func elf(header byte) []byte {
	head := make([]byte, 128)
	copy(head, "\x7fELF\x02\x01\x01")
	head[16], head[18], head[32], head[54], head[56], head[64] = 3, 62, 64, 56, 1, header
	return head
}

func TestDetect(t *testing.T) {
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 2, 2))))
	wav := []byte("RIFF\x24\x00\x00\x00WAVEfmt \x10\x00\x00\x00")
	zip := []byte("PK\x03\x04\x14\x00\x00\x00\x08\x00")
	for _, c := range []struct {
		head        []byte
		ext, found  string
		mislabelled bool
	}{
		{picture.Bytes(), "png", "image/png", false},
		{picture.Bytes(), "PNG", "image/png", false},
		{picture.Bytes(), "pdf", "image/png", true},
		{picture.Bytes(), "txt", "image/png", true},
		{picture.Bytes(), "unheard-of", "image/png", false},
		{picture.Bytes(), "", "image/png", false},
		{wav, "wav", "audio/wav", false},
		{[]byte("a,b\n1,2\n"), "wav", "text/csv", true},
		{[]byte("a,b\n1,2\n"), "txt", "text/csv", false},
		{[]byte("plain words"), "csv", "text/plain", false},
		{[]byte("{\"a\": 1}"), "json", "application/json", false},
		{[]byte("<?xml version=\"1.0\"?><svg xmlns=\"http://www.w3.org/2000/svg\"/>"), "svg", "image/svg+xml", false},
		{zip, "docx", "application/zip", false},
		{zip, "jpg", "application/zip", true},
		{nil, "wav", "", false},
		{[]byte("Dear all, the reeds,\nwere cut, on Monday,\nand so, on,\n"), "txt", "text/plain", false},
		{elf(3), "", "application/x-executable", false},
		{elf(6), "so", "application/x-sharedlib", false},
	} {
		found, mislabelled := media.Detect(c.head, c.ext)
		assert.Equal(t, c.found, found, "%q as .%s", c.head, c.ext)
		assert.Equal(t, c.mislabelled, mislabelled, "%q as .%s", c.head, c.ext)
	}
}
