//go:build unix && !linux

package main

import (
	"errors"
	"time"
)

const (
	slowFolders = 0
	slowFiles   = 0
	slowDelay   = time.Duration(0)
)

var errOnlyLinux = errors.New("this is only written for Linux")

func dropCaches() error { return errOnlyLinux }

func mountSlow(string) (unmount func(), err error) { return nil, errOnlyLinux }

func bestCold(string, string, string) ([]string, error) { return nil, errOnlyLinux }
