//go:build unix && !linux

package act_test

import "testing"

func smallDisk(t *testing.T, _, _ string) { t.Skip("how to mount a disk is only known of Linux") }
