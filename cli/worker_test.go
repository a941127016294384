package cli_test

import (
	"bytes"
	"encoding/gob"
	"io"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"frankledger/cli"
)

// Starting a program takes longer than most of what the tests ask of it. So command lines that
// need no process of their own are run by a few workers: processes that run one line after the
// other, each in its folder and with its environment.
const workerVariable = "FRANK_TEST_WORKER"

// order is what a worker is to run, and done what came of it.
type (
	order struct {
		Dir       string
		Env, Args []string
	}
	done struct {
		Out, Err []byte
		Status   int
	}
)

// worker is a process that runs command lines.
type worker struct {
	cmd *exec.Cmd
	to  *gob.Encoder
	in  *gob.Decoder
}

var (
	idle    = make(chan *worker, 64)
	workers struct {
		sync.Mutex
		all []*exec.Cmd
	}
)

// needsNoProcess reports whether a run is the same in a worker: it has nothing to read, writes to
// buffers, is of the same user, and has the time zone that the worker began with.
func needsNoProcess(cmd *exec.Cmd) bool {
	plain := cmd.Path == frank && cmd.Stdin == nil && cmd.Stdout == nil && cmd.Stderr == nil && cmd.SysProcAttr == nil && cmd.ExtraFiles == nil && cmd.Cancel == nil
	return plain && !slices.ContainsFunc(cmd.Env, func(one string) bool { return strings.HasPrefix(one, "TZ=") && one != "TZ=UTC" })
}

// inWorker runs a command line in a worker.
func inWorker(t *testing.T, cmd *exec.Cmd) result {
	t.Helper()
	var w *worker
	select {
	case w = <-idle:
	default:
		w = startWorker(t)
	}
	var d done
	require.NoError(t, w.to.Encode(order{cmd.Dir, cmd.Env, cmd.Args[1:]}))
	require.NoError(t, w.in.Decode(&d), "%q ended the process", cmd.Args)
	idle <- w
	return result{string(d.Out), string(d.Err), d.Status}
}

func startWorker(t *testing.T) *worker {
	theirIn, ourOut, err := os.Pipe()
	require.NoError(t, err)
	ourIn, theirOut, err := os.Pipe()
	require.NoError(t, err)
	cmd := exec.Command(os.Args[0])
	cmd.Env = []string{"TZ=UTC", workerVariable + "=1", "GORACE=halt_on_error=1"}
	cmd.ExtraFiles = []*os.File{theirIn, theirOut}
	cmd.Stderr = os.Stderr
	require.NoError(t, cmd.Start())
	theirIn.Close()
	theirOut.Close()
	workers.Lock()
	defer workers.Unlock()
	workers.all = append(workers.all, cmd)
	return &worker{cmd, gob.NewEncoder(ourOut), gob.NewDecoder(ourIn)}
}

func stopWorkers() {
	for _, cmd := range workers.all {
		cmd.Process.Kill()
		cmd.Wait()
	}
}

// work is what a worker does: it takes orders until there are no more.
func work() {
	in, to := gob.NewDecoder(os.NewFile(3, "orders")), gob.NewEncoder(os.NewFile(4, "answers"))
	for {
		var o order
		if in.Decode(&o) != nil {
			return
		}
		os.Clearenv()
		for _, one := range o.Env {
			name, value, _ := strings.Cut(one, "=")
			os.Setenv(name, value)
		}
		var d done
		if err := os.Chdir(o.Dir); err != nil {
			panic(err)
		}
		out, wait := gathered(&d.Out)
		errs, waitErrs := gathered(&d.Err)
		d.Status = cli.RunHere(o.Args, out, errs)
		wait()
		waitErrs()
		if err := os.Chdir("/"); err != nil { // so that it holds no disk
			panic(err)
		}
		if to.Encode(d) != nil {
			return
		}
	}
}

// gathered returns the end of a pipe, and a function that closes it and waits until all that was
// written to it has been taken in.
func gathered(content *[]byte) (*os.File, func()) {
	from, to, err := os.Pipe()
	if err != nil {
		panic(err)
	}
	read := make(chan struct{})
	go func() {
		defer close(read)
		var b bytes.Buffer
		io.Copy(&b, from)
		from.Close()
		*content = b.Bytes()
	}()
	return to, func() {
		to.Close()
		<-read
	}
}
