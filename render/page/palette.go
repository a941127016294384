package page

import "strings"

// Colour is a colour of pages and pictures: its name, and what it is on a light and on a dark
// ground (CSS Color Module Level 3).
type Colour struct{ Name, Light, Dark string }

// Palette are the colours of all pages and pictures. Those of parts of a picture, s0 to s5, are
// told apart also by people who cannot see red or green.
var Palette = []Colour{
	{"ground", "#fcfbf8", "#16191c"},
	{"ink", "#1d2124", "#e8e5de"},
	{"quiet", "#5b6166", "#a0a6ab"},
	{"line", "#d9d5cc", "#3a4046"},
	{"tint", "#f1eee7", "#20252a"},
	{"tarn", "#00638a", "#74c3e6"},
	{"heather", "#83378a", "#dc9fe0"},
	{"moss", "#3c663c", "#98cb98"},
	{"peat", "#85480a", "#e3b07a"},
	{"brick", "#a8261d", "#ff9a8f"},
	{"s0", "#00638a", "#74c3e6"},
	{"s1", "#be6f0a", "#e8b04a"},
	{"s2", "#5b33a1", "#948ae9"},
	{"s3", "#3498d4", "#467ca3"},
	{"s4", "#32402a", "#f1e3b0"},
	{"s5", "#889484", "#9a7035"},
}

// SeriesColours is how many colours there are for parts of a picture.
const SeriesColours = 6

// variables are the palette as a page's style has it.
func variables() string {
	var light, dark strings.Builder
	for _, c := range Palette {
		light.WriteString("--" + c.Name + ":" + c.Light + ";")
		dark.WriteString("--" + c.Name + ":" + c.Dark + ";")
	}
	onPaper := strings.TrimSuffix(light.String(), ";")
	return ":root{" + light.String() + "color-scheme:light dark}\n@media (prefers-color-scheme:dark){:root{" + strings.TrimSuffix(dark.String(), ";") + "}}\n@media print{:root{" + onPaper + "}}\n"
}

// pictureRules are how the parts of a picture look; $name is a colour of the palette.
const pictureRules = `.pic text{font:13px system-ui,sans-serif;fill:$ink}
.pic .q{fill:$quiet}
.pic .h{font-size:15px;font-weight:650}
.pic .b{font-weight:600}
.pic .i{font-style:italic}
.pic .e{text-anchor:end}
.pic .m{text-anchor:middle}
.pic .s{font-size:11px}
.pic .g{stroke:$line;fill:none}
.pic .o{fill:none;stroke:$ink;stroke-opacity:.45}
.pic .x{fill:$ground;stroke:$line}
`

// PictureStyle is the style of pictures, with each colour as it is to be written.
func PictureStyle(colour func(Colour) string) string {
	text := pictureRules
	for i := len(Palette) - 1; i >= 0; i-- {
		c := Palette[i]
		text = strings.ReplaceAll(text, "$"+c.Name, colour(c))
		if strings.HasPrefix(c.Name, "s") && len(c.Name) == 2 {
			text += ".pic .f" + c.Name[1:] + "{fill:" + colour(c) + "}.pic .l" + c.Name[1:] + "{fill:none;stroke:" + colour(c) + ";stroke-width:2}\n"
		}
	}
	return text
}
