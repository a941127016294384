package limiter

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// Who waits is joined by others while there is work for them, and who keeps all cores
// busy is left by them.
func TestDecide(t *testing.T) {
	c := newLimiter(2, 64, nil)
	const passed = 10 * time.Millisecond
	assert.False(t, c.decide(passed, passed/2, false), "nobody has anything to do")
	assert.Equal(t, 2, c.Limit())
	for c.Limit() < 64 {
		before := c.Limit()
		assert.True(t, c.decide(passed, passed/2, true))
		assert.Greater(t, c.Limit(), before)
	}
	assert.False(t, c.decide(passed, passed/2, true), "there are as many as may be")
	assert.False(t, c.decide(passed, passed*3/2, true), "neither waiting nor busy")
	assert.Equal(t, 64, c.Limit())
	for c.Limit() > 2 {
		before := c.Limit()
		assert.False(t, c.decide(passed, 2*passed, true))
		assert.Less(t, c.Limit(), before)
	}
	assert.False(t, c.decide(passed, 2*passed, true))
	assert.Equal(t, 2, c.Limit())
	assert.False(t, c.Grown())
}

func TestWatch(t *testing.T) {
	var now time.Duration
	c := newLimiter(2, 5, func() (time.Duration, time.Duration) { now += time.Second; return now, 0 })
	grown := make(chan int, 10)
	c.Watch(func() bool { return true }, func() { grown <- c.Limit() })
	assert.Equal(t, 3, <-grown)
	assert.Equal(t, 5, <-grown)
	c.Stop()
}
