package condition

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// token is a word of a condition.
type token struct {
	text   string
	pos    int  // where it starts in the condition as shown
	quoted bool // it was in quotes, and stands for nothing but itself
}

// joins reports whether a token ends a test: and, or, or a parenthesis.
func (t token) joins() bool {
	return !t.quoted && (strings.EqualFold(t.text, "and") || strings.EqualFold(t.text, "or") || t.text == closing)
}

// script is a condition as it is shown in errors, and its tokens.
type script struct {
	text   string
	tokens []token
	words  bool // it came as shell words

	mistakes int // how many are put right
}

const (
	opening = "("
	closing = ")"
)

// lexWords makes each shell word a token.
func lexWords(words []string) script {
	s := script{words: true}
	var b strings.Builder
	for i, word := range words {
		if i > 0 {
			b.WriteByte(' ')
		}
		s.tokens = append(s.tokens, token{text: word, pos: b.Len()})
		if word == opening || word == closing {
			b.WriteString(word)
		} else {
			b.WriteString(quote(word))
		}
	}
	s.text = b.String()
	return s
}

// lexText parts a condition in one piece. A quote is ended by its like; twice
// in a row, it stands for itself.
func lexText(text string) (script, error) {
	s := script{text: text}
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		switch {
		case unicode.IsSpace(r):
			i += size
		case r == '(' || r == ')':
			s.tokens = append(s.tokens, token{text: text[i : i+1], pos: i})
			i++
		case r == '\'' || r == '"':
			word, length := unquote(text[i:])
			if length == 0 {
				return s, &Error{Condition: text, Pos: i, Len: len(text) - i, Message: "this quote is not closed"}
			}
			s.tokens = append(s.tokens, token{text: word, pos: i, quoted: true})
			i += length
		default:
			start := i
			for i < len(text) {
				r, size := utf8.DecodeRuneInString(text[i:])
				if unicode.IsSpace(r) || r == '(' || r == ')' {
					break
				}
				i += size
			}
			s.tokens = append(s.tokens, token{text: text[start:i], pos: start})
		}
	}
	return s, nil
}

// unquote reads the quoted text that s starts with, and its length with quotes;
// 0 if the quote is not closed.
func unquote(s string) (word string, length int) {
	var b strings.Builder
	for i := 1; i < len(s); i++ {
		if s[i] != s[0] {
			b.WriteByte(s[i])
			continue
		}
		if i+1 < len(s) && s[i+1] == s[0] {
			b.WriteByte(s[i])
			i++
			continue
		}
		return b.String(), i + 1
	}
	return "", 0
}

// quote writes text so that lexText reads it as one token.
func quote(text string) string {
	plain := text != ""
	for i, r := range text {
		if unicode.IsSpace(r) || r == '(' || r == ')' || i == 0 && (r == '\'' || r == '"') {
			plain = false
		}
	}
	if plain {
		return text
	}
	if strings.Contains(text, "'") && !strings.Contains(text, `"`) {
		return `"` + text + `"`
	}
	return "'" + strings.ReplaceAll(text, "'", "''") + "'"
}
