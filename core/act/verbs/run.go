package verbs

import (
	"context"
	"errors"
	"fmt"
	"os/exec"
	"path"
	"strings"
	"sync"
	"syscall"
	"time"

	"frankledger/core/act/doing"
	"frankledger/core/act/journals"
	"frankledger/core/act/openat"
	"frankledger/core/act/plans"
	"frankledger/core/act/sys"
	"frankledger/core/act/tree"
	"frankledger/core/entry"
	"frankledger/core/exact"
	"frankledger/core/posix"
)

// Commands are run without a shell: each word of the command line is one
// argument, whatever is in the names that are put into it.

// Replace puts facts of an entry into the words of a command: @path, @name,
// @stem, @ext, @folder; @@ is a plain @.
func Replace(words []string, full string) []string {
	stem, ext := entry.SplitName(path.Base(full))
	replacer := strings.NewReplacer("@@", "@", "@path", full, "@name", path.Base(full), "@stem", stem, "@ext", ext, "@folder", path.Dir(full))
	replaced := make([]string, len(words))
	for i, word := range words {
		replaced[i] = replacer.Replace(word)
	}
	return replaced
}

// What can be wrong with a command.
var (
	ErrNoCommand = errors.New("no command is named")
	ErrBatch     = errors.New("with --batch, the command needs the word @path once, by itself, and none of the others")
)

// CheckCommand returns an error unless a command can be run.
func CheckCommand(words []string, batch bool) error {
	if len(words) == 0 || words[0] == "" {
		return ErrNoCommand
	}
	if !batch {
		return nil
	}
	count := 0
	for _, word := range words {
		if word == "@path" {
			count++
		} else if Replace([]string{word}, "/\x00")[0] != strings.ReplaceAll(word, "@@", "@") {
			return ErrBatch
		}
	}
	if count != 1 {
		return ErrBatch
	}
	return nil
}

// Running says how to run commands.
type Running struct {
	Jobs  int           // at the same time; at least 1
	Batch bool          // many paths in one call
	Limit time.Duration // after which a command is ended; 0 for none
}

// Ran is what became of one call.
type Ran struct {
	Steps  []*plans.Step
	Began  bool
	Status int // of the command; -1 if there is none
	Err    error
	Output []byte // what it wrote, to both of its outputs, as it came
	Cut    bool   // there was more
	Left   bool   // something that it started was still running when it ended; what that writes is not kept
	Took   time.Duration
}

// RunResult is what was run in all.
type RunResult struct {
	Journal                              int64
	Calls, Done, Failed, NotRun, Refused int // steps, but for calls
}

// mostOutput is how much is kept of what one call writes.
const mostOutput = 1 << 20

// argumentBytes is how long the paths of one call may be, well below what any
// system allows.
const argumentBytes = 96 << 10

// RunAll runs the command of a plan for its steps. It reports each call, in no fixed order. The error is about the
// journal, or the context's.
func RunAll(ctx context.Context, c *doing.Carrier, plan *plans.Plan, how Running, told func(Ran)) (result RunResult, err error) {
	todo := *plan
	todo.Steps = nil
	for _, s := range plan.Steps {
		if s.Refused == "" {
			todo.Steps = append(todo.Steps, s)
		} else {
			result.Refused++
		}
	}
	if len(todo.Steps) == 0 {
		return result, nil
	}
	if err := ctx.Err(); err != nil {
		return result, err
	}
	j, err := c.Journals.Begin(c.Calls, &todo, c.Now(), nil)
	if err != nil {
		return result, err
	}
	result.Journal = j.Number
	var words []string
	for _, word := range plan.Options.Command {
		words = append(words, string(word))
	}
	var mu sync.Mutex
	var group sync.WaitGroup
	next := make(chan []int)
	own := tree.OwnChanges{}
	for range max(1, how.Jobs) {
		group.Go(func() {
			one := &doing.Carrying{Carrier: c, Ctx: ctx, Plan: &todo, Verb: All[plans.Run], From: openat.NewFolders(c.Calls), Volumes: openat.Volumes{}, Own: own, Journal: j}
			defer one.From.Close()
			for calls := range next {
				all, begun := callOnce(one, &mu, calls, words, how)
				mu.Lock()
				if begun != nil && err == nil {
					err = begun
				}
				for _, ran := range all {
					result.add(&ran)
					told(ran)
				}
				mu.Unlock()
			}
		})
	}
	for _, call := range callsOf(todo.Steps, how.Batch) {
		if ctx.Err() != nil {
			break
		}
		next <- call
	}
	close(next)
	group.Wait()
	if err == nil {
		err = ctx.Err()
	}
	if ending := j.End(journals.Event{End: err == nil}, nil); err == nil {
		err = ending
	}
	return result, err
}

// callsOf parts steps, by their indices, into those of each call.
func callsOf(steps []*plans.Step, batch bool) (calls [][]int) {
	size := 0
	for i, s := range steps {
		last := len(calls) - 1
		if !batch || last < 0 || size+len(s.Path)+1 > argumentBytes {
			calls, size = append(calls, nil), 0
			last++
		}
		calls[last] = append(calls[last], i)
		size += len(s.Path) + 1
	}
	return calls
}

var errTooLong = errors.New("it took too long and was stopped")

// add counts a call in.
func (r *RunResult) add(ran *Ran) {
	switch {
	case !ran.Began:
		r.NotRun += len(ran.Steps)
		return
	case ran.Err == nil:
		r.Done += len(ran.Steps)
	default:
		r.Failed += len(ran.Steps)
	}
	r.Calls++
}

// callOnce runs one call, and returns what became of it, and of steps that could not
// be part of it. The error is about the journal.
func callOnce(c *doing.Carrying, mu *sync.Mutex, indices []int, words []string, how Running) (all []Ran, err error) {
	note := func(e journals.Event) {
		mu.Lock()
		defer mu.Unlock()
		if c.Journal.Note(e); err == nil {
			err = c.Journal.Flush()
		}
	}
	ran := Ran{Began: true}
	var paths []string
	var begun []int
	var several []sys.Status // of files of several names, and where they are
	var places []string
	for _, i := range indices {
		s := c.Plan.Steps[i]
		at, name, trouble := c.From.At(string(s.Path))
		if trouble == nil {
			var st sys.Status
			mu.Lock()
			st, trouble = c.IsThere(s, at, name)
			mu.Unlock()
			if st.Links > 1 {
				several, places = append(several, st), append(places, string(s.Path))
			}
		} else if openat.Gone(trouble) {
			trouble = openat.ErrGone
		}
		if trouble != nil {
			note(journals.Event{Failed: i + 1, Why: exact.Text(trouble.Error())})
			all = append(all, Ran{Steps: []*plans.Step{s}, Status: -1, Err: trouble})
			continue
		}
		note(journals.Event{Begin: i + 1})
		ran.Steps, paths, begun = append(ran.Steps, s), append(paths, string(s.Path)), append(begun, i+1)
	}
	if len(paths) == 0 || err != nil {
		return all, err
	}
	var args []string
	if !how.Batch {
		args = Replace(words, paths[0])
	}
	for i := 0; i < len(words) && how.Batch; i++ {
		if words[i] == "@path" {
			args = append(args, paths...)
		} else {
			args = append(args, Replace(words[i:i+1], "")...)
		}
	}
	ran.run(c.Ctx, args, how.Limit)
	for i := range several { // what the command has done to a file, it has done under all its names
		if now, err := c.From.Status(places[i]); err == nil {
			mu.Lock()
			c.Own.Note(&several[i], &now)
			mu.Unlock()
		}
	}
	for _, n := range begun {
		if ran.Err != nil {
			note(journals.Event{Failed: n, Why: exact.Text(ran.Err.Error())})
		} else {
			note(journals.Event{Done: n})
		}
	}
	return append(all, ran), err
}

// run runs a command to its end, or to its limit.
func (r *Ran) run(ctx context.Context, args []string, limit time.Duration) {
	if limit > 0 {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeoutCause(ctx, limit, errTooLong)
		defer cancel()
	}
	out := &limited{most: mostOutput}
	cmd := exec.CommandContext(ctx, args[0], args[1:]...)
	cmd.Stdout, cmd.Stderr = out, out
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // what it starts is ended with it
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = time.Second
	begun := time.Now()
	err := cmd.Run()
	r.Took, r.Output, r.Cut = time.Since(begun), out.kept, out.cut
	if r.Left = errors.Is(err, exec.ErrWaitDelay); r.Left && context.Cause(ctx) == nil {
		err = nil // it ended well itself
	}
	var exit *exec.ExitError
	var start *exec.Error
	switch {
	case err == nil:
		return
	case context.Cause(ctx) == errTooLong:
		r.Status, err = -1, errTooLong
	case errors.As(err, &exit) && exit.Exited():
		r.Status, err = exit.ExitCode(), fmt.Errorf("it ended with status %d", exit.ExitCode())
	case errors.As(err, &exit):
		r.Status, err = -1, fmt.Errorf("it was ended by a signal: %s", exit.Sys().(syscall.WaitStatus).Signal())
	case errors.As(err, &start):
		r.Began, r.Status, err = false, -1, fmt.Errorf("the command %s: %w", start.Name, start.Err)
	default:
		r.Began, r.Status, err = cmd.Process != nil, -1, fmt.Errorf("the command %s: %w", args[0], posix.Reason(err))
	}
	r.Err = err
}

// limited keeps what is written to it, up to a limit. It is no more than a Writer, so that
// nothing is read into memory at once.
type limited struct {
	kept []byte
	most int
	cut  bool
}

// Write implements io.Writer.
func (l *limited) Write(p []byte) (int, error) {
	room := l.most - len(l.kept)
	if len(p) > room {
		l.cut = true
	}
	l.kept = append(l.kept, p[:min(len(p), room)]...)
	return len(p), nil
}

// run is the verb that runs commands, which have a carrying out of their own.
type run struct{}

// Traits implements Verb.
func (run) Traits() doing.Traits {
	return doing.Traits{Stays: true, Foreign: true}
}

func (run) Plan(*doing.Planning, *plans.Step, *entry.Entry) error { return nil }

func (run) Words(_ *plans.Plan) (ask, done string) { return "run for", "run" }

func (run) Does(p *plans.Plan, s *plans.Step) string {
	words := make([]string, len(p.Options.Command))
	for i, word := range p.Options.Command {
		words[i] = string(word)
	}
	return strings.Join(Replace(words, string(s.Path)), " ")
}

func (run) Do(*doing.Task) error { return doing.ErrRan }

func (run) Undo(*doing.Undoing, *journals.PastStep) (bool, error) { return false, doing.ErrRan }

func (run) Look(*doing.Undoing, *journals.PastStep) journals.State { return journals.Begun }

// Undoes implements Verb.
func (run) Undoes(*plans.Options, *plans.Step) string { return "" }

// ForGood implements Final.
func (run) ForGood(*plans.Options) error { return doing.ErrRan }
