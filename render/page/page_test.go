package page_test

import (
	"encoding/xml"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/render/page"
)

// parsed is the text and the attributes that a parser of markup finds.
func parsed(t *testing.T, markup string) (text string, attributes []string) {
	d := xml.NewDecoder(strings.NewReader(markup))
	for {
		token, err := d.Token()
		if err == io.EOF {
			return text, attributes
		}
		require.NoError(t, err, markup)
		switch token := token.(type) {
		case xml.CharData:
			text += string(token)
		case xml.StartElement:
			for _, a := range token.Attr {
				attributes = append(attributes, a.Value)
			}
		}
	}
}

func FuzzText(f *testing.F) {
	f.Add(`<script>"a" & 'b'</script>`)
	f.Add("&lt;")
	f.Fuzz(func(t *testing.T, given string) {
		for _, r := range given {
			if r == '\r' || r == '\ufffd' || r == 0xfffe || r == 0xffff || r < ' ' && r != '\t' && r != '\n' {
				t.Skip("markup has no such character")
			}
		}
		text, _ := parsed(t, "<p>"+string(page.AppendText(nil, given))+"</p>")
		assert.Equal(t, given, text)
		_, attributes := parsed(t, `<p a="`+string(page.AppendText(nil, []byte(given)))+`"/>`)
		assert.Equal(t, []string{given}, attributes)
		text, attributes = parsed(t, string(page.AppendElement(nil, "p", "note", given)))
		assert.Equal(t, given, strings.TrimSuffix(text, "\n"))
		assert.Equal(t, []string{"note"}, attributes)
		text, _ = parsed(t, "<p>"+string(page.AppendSpan(nil, "", given))+string(page.AppendSpan(nil, "quiet", given))+"</p>")
		assert.Equal(t, given+given, text)
	})
}
