package testpg

import "syscall"

// dieWithTests has a server end with the tests that started it, at once and with all its processes.
func dieWithTests(attr *syscall.SysProcAttr) { attr.Pdeathsig = syscall.SIGQUIT }
