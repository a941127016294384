//go:build !linux

package testpg

import "syscall"

func dieWithTests(*syscall.SysProcAttr) {}
