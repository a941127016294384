package cli

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"time"

	"frankledger/cli/session"
)

// WriteSlowly is a program that changes something, and notices only after two seconds
// that it was asked to stop.
func WriteSlowly() {
	p := &Program{Session: session.Session{Out: os.Stdout, Err: os.Stderr}}
	ctx, stop := context.WithCancel(context.Background())
	stops := make(chan os.Signal, 4)
	signal.Notify(stops, os.Interrupt)
	go p.StopOn(stops, stop)
	defer p.Ending.Lock() // as Main does, once nothing is being written
	defer p.Writing("recording x")()
	fmt.Println("writing")
	<-ctx.Done()
	time.Sleep(2 * time.Second)
	fmt.Println("left in order")
}
