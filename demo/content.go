package demo

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
)

// wave returns the start of a recording of that many bytes in all: a RIFF WAVE
// header for one channel of 16 bits at 22050 Hz, and a short call.
func wave(size int64, random *rand.Rand) []byte {
	const rate, bytesPerSample = 22050, 2
	var b bytes.Buffer
	put := func(values ...any) {
		for _, v := range values {
			if err := binary.Write(&b, binary.LittleEndian, v); err != nil {
				panic(err) // a buffer takes all values of fixed size
			}
		}
	}
	b.WriteString("RIFF")
	put(uint32(size - 8))
	b.WriteString("WAVEfmt ")
	put(uint32(16), uint16(1), uint16(1), uint32(rate), uint32(rate*bytesPerSample), uint16(bytesPerSample), uint16(8*bytesPerSample))
	b.WriteString("data")
	put(uint32(size - 44))
	pitch := 900 + 1400*random.Float64()
	for i := range 900 {
		put(int16(9000 * math.Sin(2*math.Pi*pitch*float64(i)/rate)))
	}
	return b.Bytes()
}

// picture returns a PNG of a made-up shore: water, mud and reeds.
func picture(width, height int, random *rand.Rand) []byte {
	img := image.NewPaletted(image.Rect(0, 0, width, height), color.Palette{
		color.RGBA{168, 196, 206, 255}, color.RGBA{196, 182, 152, 255}, color.RGBA{142, 152, 96, 255},
	})
	a, c := 3+3*random.Float64(), random.Float64()
	for x := range width {
		shore := float64(height) * (0.45 + 0.12*math.Sin(a*float64(x)/float64(width)+6*c))
		for y := range height {
			switch {
			case float64(y) > shore*1.4:
				img.SetColorIndex(x, y, 2)
			case float64(y) > shore:
				img.SetColorIndex(x, y, 1)
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		panic(err) // a buffer takes everything, and the size is right
	}
	return b.Bytes()
}

const reedBeds = `<?xml version="1.0" encoding="UTF-8"?>
<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 120 80">
  <path d="M0 50 Q30 40 60 52 T120 48 V80 H0 Z" fill="#8e9860"/>
</svg>
`
