package picture_test

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/chart"
	"frankledger/render/page"
	"frankledger/render/picture"
)

// texts reads a picture as XML, and returns what is written in it.
func texts(t *testing.T, document []byte) (list []string) {
	d := xml.NewDecoder(strings.NewReader(string(document)))
	in := ""
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return list
		}
		require.NoError(t, err)
		switch token := token.(type) {
		case xml.StartElement:
			in = token.Name.Local
			assert.NotContains(t, []string{"script", "image", "foreignObject"}, in)
			for _, a := range token.Attr {
				assert.False(t, strings.HasPrefix(a.Name.Local, "on"), a.Name.Local)
				assert.NotRegexp(t, `NaN|Inf`, a.Value)
			}
		case xml.EndElement:
			in = ""
		case xml.CharData:
			if in == "text" {
				list = append(list, string(token))
			}
		}
	}
}

// Names are text in a picture, whatever they are, and it is well-formed.
func TestPicturesTakeNamesForNames(t *testing.T) {
	name := `</text><script>"&'<b>`
	root := &picture.Cell{Label: name, Weight: 2, Parts: []*picture.Cell{{Label: name, Amount: "1 B", About: name, Link: `#"m`, Weight: 2, Parts: []*picture.Cell{{Label: name, Weight: 1}}}}}
	wide, drawn := picture.Treemap(name, root, 900, 500, 3)
	assert.Equal(t, 2, drawn)
	lines := []picture.Line{{Label: name, Amount: name, Points: []picture.Moment{{At: time.Unix(0, 0), Value: 5, Known: true, About: name}, {At: time.Unix(9e6, 0)}}}, {Label: name}}
	scale := picture.Scale{Steps: chart.Whole, Text: func(v float64) string { return fmt.Sprint(v) }}
	for kind, p := range map[string]*picture.Picture{
		"map":   wide,
		"bars":  picture.Bars(name, []picture.Bar{{Label: name, Amount: "1", About: name, Link: "#x", Share: 1}}, 500),
		"lines": picture.Lines(name, lines, scale, 500, 300),
		"heat":  picture.Heat(name, []string{name}, []string{name}, [][]picture.Square{{{Text: "1", About: name, Share: 1}}}),
	} {
		assert.Contains(t, texts(t, p.Document()), name, kind)
		texts(t, p.Append(nil, "wide"))
	}
}

// Pictures of nothing, of zeros and of one moment are drawn too.
func TestPicturesOfLittle(t *testing.T) {
	scale := picture.Scale{Steps: chart.Binary, Text: func(v float64) string { return fmt.Sprint(v) }}
	nothing, drawn := picture.Treemap("x", &picture.Cell{}, 300, 200, 2)
	assert.Zero(t, drawn)
	assert.Contains(t, texts(t, nothing.Document()), "nothing to draw")
	zeros, drawn := picture.Treemap("x", &picture.Cell{Parts: []*picture.Cell{{Label: "a"}, {Label: "b"}}}, 300, 200, 2)
	assert.Zero(t, drawn)
	texts(t, zeros.Document())
	texts(t, picture.Bars("x", nil, 300).Document())
	texts(t, picture.Lines("x", nil, scale, 400, 200).Document())
	now := time.Now()
	texts(t, picture.Lines("x", []picture.Line{{Label: "a", Points: []picture.Moment{{At: now, Value: 0, Known: true}}}}, scale, 400, 200).Document())
	texts(t, picture.Lines("x", []picture.Line{{Points: []picture.Moment{{At: now, Value: math.MaxInt64, Known: true}, {At: now.Add(time.Second), Known: true}}}, {}}, scale, 400, 200).Document())
	texts(t, picture.Heat("x", nil, nil, nil).Document())
}

// Where an amount is not known, its line has a gap.
func TestGaps(t *testing.T) {
	points := []picture.Moment{}
	for i, known := range []bool{true, true, false, true, false, true, true} {
		points = append(points, picture.Moment{At: time.Unix(int64(i)*86400, 0), Value: float64(i), Known: known})
	}
	p := picture.Lines("x", []picture.Line{{Points: points}}, picture.Scale{Text: func(float64) string { return "" }}, 400, 200)
	path := regexp.MustCompile(`<path class="l0" d="([^"]*)"`).FindStringSubmatch(string(p.Append(nil, "")))
	require.NotNil(t, path)
	assert.Equal(t, "MLMML", strings.Map(func(r rune) rune {
		if r == 'M' || r == 'L' {
			return r
		}
		return -1
	}, path[1]))
}

// What follows checks the palette by how people see it: contrast after WCAG 2; sight without red
// or green as Machado, Oliveira and Fernandes simulate it (2009); differences in CIE L*a*b* (1976).
type colour [3]float64 // red, green and blue, linear

func parse(t *testing.T, hex string) (c colour) {
	n, err := strconv.ParseUint(strings.TrimPrefix(hex, "#"), 16, 32)
	require.NoError(t, err)
	for i := range c {
		v := float64(n>>(16-8*i)&255) / 255
		if c[i] = v / 12.92; v > 0.04045 {
			c[i] = math.Pow((v+0.055)/1.055, 2.4)
		}
	}
	return c
}

func (c colour) light() float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }

func contrast(a, b colour) float64 {
	x, y := max(a.light(), b.light()), min(a.light(), b.light())
	return (x + 0.05) / (y + 0.05)
}

var sights = map[string][3]colour{
	"usual":         {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}},
	"without red":   {{0.152286, 1.052583, -0.204868}, {0.114503, 0.786281, 0.099216}, {-0.003882, -0.048116, 1.051998}},
	"without green": {{0.367322, 0.860646, -0.227968}, {0.280085, 0.672501, 0.047413}, {-0.011820, 0.042940, 0.968881}},
}

func (c colour) seen(by [3]colour) (lab [3]float64) {
	var s colour
	for i := range s {
		s[i] = min(1, max(0, by[i][0]*c[0]+by[i][1]*c[1]+by[i][2]*c[2]))
	}
	f := func(v float64) float64 {
		if v > 216.0/24389 {
			return math.Cbrt(v)
		}
		return (24389.0/27*v + 16) / 116
	}
	x, y, z := f((.4124*s[0]+.3576*s[1]+.1805*s[2])/.95047), f(s.light()), f((.0193*s[0]+.1192*s[1]+.9505*s[2])/1.08883)
	return [3]float64{116*y - 16, 500 * (x - y), 200 * (y - z)}
}

// on is a colour laid over another so strongly, as browsers mix them.
func on(over, under string, strength float64) string {
	a, _ := strconv.ParseUint(over[1:], 16, 32)
	b, _ := strconv.ParseUint(under[1:], 16, 32)
	var mixed uint64
	for shift := 0; shift <= 16; shift += 8 {
		mixed |= uint64(math.Round(strength*float64(a>>shift&255)+(1-strength)*float64(b>>shift&255))) << shift
	}
	return fmt.Sprintf("#%06x", mixed)
}

func TestPalette(t *testing.T) {
	for _, dark := range []bool{false, true} {
		hex := map[string]string{}
		for _, c := range page.Palette {
			hex[c.Name] = c.Light
			if dark {
				hex[c.Name] = c.Dark
			}
		}
		ground := parse(t, hex["ground"])
		for _, text := range []string{"ink", "quiet", "tarn", "heather", "moss", "peat", "brick"} {
			assert.GreaterOrEqual(t, contrast(parse(t, hex[text]), ground), 4.5, text)
			assert.GreaterOrEqual(t, contrast(parse(t, hex[text]), parse(t, hex["tint"])), 4.5, "%s on a tint", text)
		}
		for i := range page.SeriesColours {
			name := fmt.Sprint("s", i)
			one := parse(t, hex[name])
			assert.GreaterOrEqual(t, contrast(one, ground), 3.0, name)
			strengths := picture.OnMaps()
			if i == 0 {
				strengths = append(strengths, picture.Strongest)
			}
			for _, strength := range strengths {
				under := parse(t, on(hex[name], hex["ground"], strength))
				assert.GreaterOrEqual(t, contrast(parse(t, hex["ink"]), under), 4.5, "%s at %v, dark %v", name, strength, dark)
			}
			for j := range i {
				other := parse(t, hex[fmt.Sprint("s", j)])
				for sight, by := range sights {
					a, b := one.seen(by), other.seen(by)
					apart := math.Sqrt((a[0]-b[0])*(a[0]-b[0]) + (a[1]-b[1])*(a[1]-b[1]) + (a[2]-b[2])*(a[2]-b[2]))
					assert.Greater(t, apart, 20.0, "s%d and s%d, sight %s, dark %v", i, j, sight, dark)
				}
			}
		}
	}
}
