package compile

import (
	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/textfile"
)

// texts are what a condition looks for in files: each once, however often it is asked for.
type texts struct {
	sought  *textfile.Sought
	numbers map[string]int // of each, by its test
}

// number returns the number of what a test looks for.
func (s *texts) number(t *condition.Test) (int, error) {
	key := string(t.Op) + " " + t.Values[0].Text
	if number, known := s.numbers[key]; known {
		return number, nil
	}
	var number int
	var err error
	if t.Op == condition.Matches {
		number, err = s.sought.Matches(t.Values[0].Text)
	} else {
		number = s.sought.Has(t.Values[0].Text)
	}
	if err == nil {
		err = s.sought.Check()
	}
	if err != nil {
		return 0, err
	}
	if s.numbers == nil {
		s.numbers = map[string]int{}
	}
	s.numbers[key] = number
	return number, nil
}

// inside makes the test whether a text is in a file. The reader of files looks for all of them at once.
func (c *compiler) inside(t *condition.Test) (*part, error) {
	number, err := c.texts.number(t)
	if err != nil {
		return nil, c.mistake(t, 0, "%s", err)
	}
	bit := uint64(1) << number
	return newLeaf(t.Field, t.Field.Needs, searching, func(_ *state, e *entry.Entry) bool {
		return e.More != nil && e.More.Lines.Met&bit != 0
	}), nil
}
