package cli

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"time"
)

// WriteSlowly is a program that changes something, and notices only after two seconds
// that it was asked to stop.
func WriteSlowly() {
	p := &Program{Out: os.Stdout, Err: os.Stderr}
	ctx, stop := context.WithCancel(context.Background())
	stops := make(chan os.Signal, 4)
	signal.Notify(stops, os.Interrupt)
	go p.stopOn(stops, stop)
	defer p.ending.Lock() // as Main does, once nothing is being written
	defer p.writing("recording x")()
	fmt.Println("writing")
	<-ctx.Done()
	time.Sleep(2 * time.Second)
	fmt.Println("left in order")
}
