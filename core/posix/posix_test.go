package posix_test

import (
	"errors"
	"io/fs"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"golang.org/x/sys/unix"

	"frankledger/core/posix"
)

func TestRetry(t *testing.T) {
	for name, answers := range map[string][]error{
		"at once":                     {nil},
		"after interruptions":         {unix.EINTR, unix.EINTR, nil},
		"another error":               {unix.EACCES},
		"another after interruptions": {unix.EINTR, unix.EIO},
	} {
		t.Run(name, func(t *testing.T) {
			calls := 0
			n, err := posix.Retry(func() (int, error) {
				calls++
				return calls, answers[calls-1]
			})
			assert.Equal(t, len(answers), calls)
			assert.Equal(t, len(answers), n)
			assert.Equal(t, answers[len(answers)-1], err)
		})
	}
}

func TestTimeOf(t *testing.T) {
	for _, at := range []time.Time{time.Unix(0, 0), time.Unix(1796142013, 536928183), time.Unix(-1, 999_999_999), time.Unix(-62167219200, 1)} {
		got := posix.TimeOf(unix.Timespec{Sec: at.Unix(), Nsec: int64(at.Nanosecond())})
		assert.Equal(t, at.UTC(), got.Std())
	}
}

func TestReason(t *testing.T) {
	_, err := os.Open("/nowhere/at/all")
	assert.Equal(t, unix.ENOENT, posix.Reason(err))
	err = os.Rename("/nowhere/at/all", "/nowhere/else")
	assert.Equal(t, unix.ENOENT, posix.Reason(err))
	assert.Equal(t, fs.ErrInvalid, posix.Reason(fs.ErrInvalid))
	joined := errors.Join(errors.New("first"), &fs.PathError{Op: "read", Path: "p", Err: unix.EIO})
	assert.Equal(t, unix.EIO, posix.Reason(joined))
}
