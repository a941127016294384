//go:build unix && !linux

package main

import "errors"

const (
	slowFolders = 0
	slowFiles   = 0
)

var errOnlyLinux = errors.New("this is only written for Linux")

func dropCaches() error { return errOnlyLinux }

func mountSlow(string) (made string, unmount func(), err error) { return "", nil, errOnlyLinux }

func bestCold(*place, string) ([]string, error) { return nil, errOnlyLinux }
