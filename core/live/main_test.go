package live_test

import (
	"os"
	"testing"

	"frankledger/internal/testdisk"
)

func TestMain(m *testing.M) {
	testdisk.Use()
	os.Exit(m.Run())
}
