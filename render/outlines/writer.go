package outlines

import "io"

// writer writes text to a place whenever enough has come together.
type writer struct {
	to   io.Writer
	text []byte // that waits
	err  error  // the first
}

const enough = 64 << 10

// write takes text, which begins with what waits.
func (w *writer) write(text []byte) {
	if w.text = text; len(text) >= enough {
		w.flush()
	}
}

// end writes all that is left, and returns the first error.
func (w *writer) end(text []byte) error {
	w.text = text
	w.flush()
	return w.err
}

func (w *writer) flush() {
	if w.err == nil {
		_, w.err = w.to.Write(w.text)
	}
	w.text = w.text[:0]
}
