package digestlist_test

import (
	"encoding/json"
	"fmt"
	"path"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"frankledger/core/digestlist"
	"frankledger/core/entry"
)

const (
	md5abc    = "900150983cd24fb0d6963f7d28e17f72"
	md5empty  = "d41d8cd98f00b204e9800998ecf8427e"
	sha1abc   = "a9993e364706816aba3e25717850c26c9cd0d89d"
	sha256abc = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
)

func TestParseDigest(t *testing.T) {
	for text, want := range map[string]string{
		md5abc:                                "md5 " + md5abc,
		strings.ToUpper(sha1abc) + " \n":      "sha1 " + sha1abc,
		sha256abc:                             "sha256, blake3 or sha3-256 " + sha256abc,
		"sha256:" + sha256abc:                 "sha256 " + sha256abc,
		"SHA-256 = " + sha256abc:              "sha256 " + sha256abc,
		"BLAKE3 " + sha256abc:                 "blake3 " + sha256abc,
		"sha-256-" + sha256abc:                "sha256 " + sha256abc,
		"90015098 3cd24fb0 d6963f7d 28e17f72": "md5 " + md5abc,
		// the form of W3C Subresource Integrity, of "abc"
		"sha256-ungWv48Bz+pBQUDeXa4iI7ADYaOWF3qctBD/YfIAFa0=":    "sha256 " + sha256abc,
		"sha256-ungWv48Bz-pBQUDeXa4iI7ADYaOWF3qctBD_YfIAFa0":     "sha256 " + sha256abc,
		"sha256-ungWv48Bz+pBQUDeXa4iI7ADYaOWF3qctBD/YfIAFa0=?ct": "sha256 " + sha256abc,

		"":                      "it is empty",
		md5abc[1:]:              "it has 31 digits; sha256 has 64, ",
		sha256abc[:56]:          "56 digits, like SHA-224, which is not supported",
		md5abc[:31] + "g":       `'g', the character at 32, is not a hexadecimal digit`,
		"md5:" + sha1abc:        "md5 has 32 digits, and these are 40",
		"sha3-256:" + sha256abc: "sha3-256 " + sha256abc,
		"sha3-224:" + sha256abc: "no such algorithm",
		"sha256-AAAA":           "sha256 has 32 bytes, and these are 3",
		"sha256-!":              "write base64 or 64 hexadecimal digits",
	} {
		value, err := digestlist.ParseDigest(text)
		if strings.HasSuffix(want, value.Hex) && err == nil {
			assert.Equal(t, want, value.Names()+" "+value.Hex, text)
			continue
		}
		assert.ErrorContains(t, err, want, text)
	}
}

// wide is text in UTF-16, the smaller byte first.
func wide(text string) string {
	var b strings.Builder
	for _, unit := range utf16.Encode([]rune(text)) {
		b.WriteByte(byte(unit))
		b.WriteByte(byte(unit >> 8))
	}
	return b.String()
}

func TestRead(t *testing.T) {
	for _, c := range []struct{ what, file, content, want string }{
		{"RFC 8493", "manifest-sha256.txt", sha256abc + " data/a 100%25 b%0Ac\n" + sha256abc + "  data/two\n", "1 sha256 data/a 100% b\nc; 2 sha256 data/two; "},
		{"one space, without a telling name", "", md5abc + " a%25\n" + md5empty + "  b", "1 md5 a%; 2 md5 b; "},
		{"two spaces, or an asterisk", "MD5", md5abc + "  a%25\n" + md5empty + " *b c\n", "1 md5 a%25; 2 md5 b c; "},
		{"tagged", "", "MD5 (a (1).txt) = " + md5abc + "\nSHA256(b)= " + sha256abc, "1 md5 a (1).txt; 2 sha256 b; "},
		{"escaped", "", `\` + md5abc + `  a\nb\\c`, "1 md5 a\nb\\c; "},
		{"alone", "card 07.img.md5", md5abc + "\n", "1 md5 card 07.img; "},
		{"forgiven", "", "\ufeff\r\n# a comment\r\n\r\n" + md5abc + "  x\r\n\n" + md5abc + "  ./x\n", "4 md5 x; "},
		{"the list's name tells", "BLAKE3-list", sha256abc + "  x", "1 blake3 x; "},
		{"nothing tells", "", sha256abc + "  x", "1 sha256, blake3 or sha3-256 x; "},
		{"CSV", "", "path,size,algorithm,digest\r\n\"a,b\",3,md5," + md5abc + "\r\nc,1,,", "2 md5 a,b 3; line 3: there is no path, or no digest; "},
		{"JSON", "", `{"entries":[{"path":"a","algorithm":"md5","digest":"` + md5abc + `"},{"path":"b"}]}`, "1 md5 a; line 2: there is no path, or no digest; "},
		{"JSON lines", "", `{"path":"\ufffd","path_base64":"/w==","digest":"` + md5abc + "\"}\n{\"path\":", "1 md5 \xff; line 2: not JSON: unexpected EOF; "},
		{"blocks", "InRelease", "-----BEGIN PGP SIGNED MESSAGE-----\nHash: SHA256\n\nOrigin: Tern Point\nMD5Sum:\n " + md5abc + "        3 main/a\nSHA256:\n " + sha256abc + " 3 main/a\n- " + "Description: x\n-----BEGIN PGP SIGNATURE-----\n\niQ==\n-----END PGP SIGNATURE-----\n",
			"8 sha256 main/a 3; 6 md5 main/a 3; "},
		{"a description of a source", "", "Format: 3.0\r\nChecksums-Sha1:\r\n " + sha1abc + " 3 x.tar.gz\r\nChecksums-Whirlpool:\r\n " + sha256abc + " 3 x.tar.gz\r\nFiles:\r\n " + md5abc + " 3 x.tar.gz\r\nHomepage: none\r\n", `3 sha1 x.tar.gz 3; 7 md5 x.tar.gz 3; line 5: no such algorithm: "whirlpool"; there are sha256, sha512, sha384, sha1, md5, blake3, sha3-256, sha3-512, blake2b; `},
		{"changes", "", "Files:\n " + md5abc + " 3 misc optional x_1.deb\n", "2 md5 x_1.deb 3; "},
		{"names first", "", "data/a b.txt  " + md5abc + "\nc:\t" + sha1abc + "\nd = sha256:" + sha256abc + "\n", "2 sha1 c; 3 sha256 d; 1 md5 data/a b.txt; "},
		{"a table with tabs", "", "Size\tFile Name\tSHA-256\tMD5\n3\ta b\t" + sha256abc + "\t" + md5abc + "\n", "2 sha256 a b 3; 2 md5 a b 3; "},
		{"a table with semicolons", "", "hash;filename\n" + md5abc + ";x\n", "2 md5 x; "},
		{"a table with names and paths", "", "path,name,hash\na/b,b," + md5abc + "\n", "2 md5 a/b; "},
		{"no table", "", md5abc + "  a,path,digest\n", "1 md5 a,path,digest; "},
		{"UTF-16", "", "\xff\xfe" + wide(md5abc+" *\u00fc.txt\r\n"), "1 md5 \u00fc.txt; "},
		{"usual spellings", "", "SHA2-256(a)= " + sha256abc + "\nSHA3-256 (b) = " + sha256abc + "\nsha256-ungWv48Bz+pBQUDeXa4iI7ADYaOWF3qctBD/YfIAFa0= c\n", "1 sha256 a; 2 sha3-256 b; 3 sha256 c; "},
		{"an object of names", "", `{"b":"` + md5abc + `","a":"sha256-ungWv48Bz+pBQUDeXa4iI7ADYaOWF3qctBD/YfIAFa0="}`, "2 sha256 a; 1 md5 b; "},
		{"a name twice in an object", "", `{"b":"` + md5abc + `","b":"` + strings.Replace(md5abc, "9", "8", 1) + `"}`, "1 md5 b; 2 md5 b; line 2: its digest of \"b\" differs from that in line 1; "},
		{"a name of SHA-3", "SHA3-256SUMS", sha256abc + "  x\n", "1 sha3-256 x; "},
		{"mistakes", "", "hello there\n" + md5abc[1:] + "  x\n" + md5abc + "\nWHIRLPOOL (x) = 00\n" + md5abc + "  \n",
			"line 1: not a digest: 'h', the character at 1, is not a hexadecimal digit; line 2: not a digest: it has 31 digits"},
		{"contradiction", "", md5abc + "  x\n" + md5empty + "  x\n" + sha1abc + "  x", `3 sha1 x; 1 md5 x; 2 md5 x; line 2: its digest of "x" differs from that in line 1; `},
	} {
		list, err := digestlist.Read(strings.NewReader(c.content), c.file)
		require.NoError(t, err)
		got := ""
		for _, l := range list.Lines {
			got += fmt.Sprintf("%d %s %s", l.Number, l.Digest.Names(), l.Name)
			if l.Sized {
				got += fmt.Sprint(" ", l.Size)
			}
			got += "; "
		}
		for _, m := range list.Mistakes {
			got += fmt.Sprintf("line %d: %s; ", m.Number, m.Reason)
		}
		if c.what == "mistakes" {
			assert.Len(t, list.Mistakes, 5)
			got = got[:min(len(got), len(c.want))]
		}
		assert.Equal(t, c.want, got, c.what)
	}
}

func TestNamesThatLeadOut(t *testing.T) {
	for name, leads := range map[string]bool{"/etc/x": true, "../x": true, "a/../../x": true, "..": true, "a/../x": false, "..x": false} {
		list, err := digestlist.Read(strings.NewReader(md5abc+"  "+name), "")
		require.NoError(t, err)
		assert.Equal(t, leads, digestlist.LeadsOut(list.Lines[0].Name), name)
	}
}

// Whatever the content, it is read without a panic; and what is written, with
// whatever names, reads back.
func FuzzRead(f *testing.F) {
	f.Add(md5abc+"  x\n", "x.md5", "a b")
	f.Add("MD5 (a) = "+md5abc, "", " *x")
	f.Add(`[{"path":"a","digest":"`+md5abc+`"}]`, "y", "%0A\n%")
	f.Add("path,digest\r\n\"a\nb\","+md5abc+"\r\n", "", "./\r")
	f.Fuzz(func(t *testing.T, content, file, name string) {
		_, err := digestlist.Read(strings.NewReader(content), file)
		require.NoError(t, err)
		if strings.Contains(name, "\x00") || path.Clean(name) == "." || path.Clean(name) == path.Clean(name+"2") {
			return
		}
		written := digestlist.AppendLine(nil, sha1abc, name)
		written = digestlist.AppendLine(written, sha1abc, name+"2")
		list, err := digestlist.Read(strings.NewReader(string(written)), "manifest-sha1.txt")
		require.NoError(t, err)
		require.Empty(t, list.Mistakes)
		require.Len(t, list.Lines, 2, "%q", written)
		require.Equal(t, path.Clean(name), list.Lines[0].Name)

		row, err := json.Marshal(map[string]any{"path": name, "path_base64": []byte(name), "digest": sha1abc})
		require.NoError(t, err)
		list, err = digestlist.Read(strings.NewReader(string(row)), "")
		require.NoError(t, err)
		require.Len(t, list.Lines, 1)
		require.Equal(t, path.Clean(name), list.Lines[0].Name)
		require.Equal(t, entry.FactSHA1, list.Lines[0].Digest.Facts())
	})
}
