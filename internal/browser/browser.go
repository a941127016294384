// Package browser drives a real browser in tests: Chromium without a window, through its
// DevTools protocol over a pair of pipes, so that it needs no library and no port.
package browser

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// names are what the program is called.
var names = []string{"chromium", "chromium-browser", "google-chrome", "chrome"}

// Browser is a browser that runs. Several tests may use it at once, each with pages of its own.
type Browser struct {
	to      io.Writer
	mu      sync.Mutex // of the rest
	last    int
	waiting map[int]chan reply
	pages   map[string]*Page
}

type reply struct {
	ID      int             `json:"id"`
	Session string          `json:"sessionId"`
	Method  string          `json:"method"`
	Params  json.RawMessage `json:"params"`
	Result  json.RawMessage `json:"result"`
	Error   *struct {
		Message string `json:"message"`
	} `json:"error"`
}

var (
	starting sync.Once
	running  *Browser // nil where there is no Chromium
	stop     = func() {}
	failed   error
)

// Start returns the browser that the tests of a package share, and starts it for the first.
// Where there is none, the test is skipped. TestMain calls Stop.
func Start(t *testing.T) *Browser {
	t.Helper()
	if testing.Short() {
		t.Skip("the race detector has nothing to find in a browser")
	}
	starting.Do(func() { running, failed = start() })
	require.NoError(t, failed)
	if running == nil {
		t.Skip("there is no Chromium here: the test drives a real browser")
	}
	return running
}

// Stop stops the browser, if one was started.
func Stop() { stop() }

func start() (*Browser, error) {
	program := ""
	for _, name := range names {
		if path, err := exec.LookPath(name); err == nil && program == "" {
			program = path
		}
	}
	if program == "" {
		return nil, nil
	}
	data, err := os.MkdirTemp("", "frank-test-browser")
	if err != nil {
		return nil, err
	}
	theirIn, ourOut, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	ourIn, theirOut, err := os.Pipe()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(program, "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--no-first-run", "--disable-background-networking",
		"--remote-debugging-pipe", "--user-data-dir="+data, "about:blank")
	cmd.ExtraFiles = []*os.File{theirIn, theirOut}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	theirIn.Close()
	theirOut.Close()
	b := &Browser{to: ourOut, waiting: map[int]chan reply{}, pages: map[string]*Page{}}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		b.listen(ourIn)
	}()
	stop = func() {
		ourOut.Close() // it ends then
		late := time.AfterFunc(10*time.Second, func() { cmd.Process.Kill() })
		cmd.Wait()
		late.Stop()
		ourIn.Close()
		<-ended
		os.RemoveAll(data)
	}
	return b, nil
}

// listen takes in what the browser says, each with a NUL after it.
func (b *Browser) listen(from io.Reader) {
	in := bufio.NewReaderSize(from, 1<<20)
	for {
		text, err := in.ReadBytes(0)
		if err != nil {
			break
		}
		var r reply
		if json.Unmarshal(bytes.TrimSuffix(text, []byte{0}), &r) != nil {
			continue
		}
		b.mu.Lock()
		answer, page := b.waiting[r.ID], b.pages[r.Session]
		delete(b.waiting, r.ID)
		b.mu.Unlock()
		switch {
		case r.ID != 0 && answer != nil:
			answer <- r
		case page != nil:
			page.event(r)
		}
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for id, answer := range b.waiting {
		close(answer)
		delete(b.waiting, id)
	}
}

// call asks the browser for something, and takes its answer into result, which may be nil.
func (b *Browser) call(session, method string, params, result any) error {
	b.mu.Lock()
	b.last++
	id, answer := b.last, make(chan reply, 1)
	b.waiting[id] = answer
	content, err := json.Marshal(map[string]any{"id": id, "method": method, "params": params, "sessionId": session})
	if session == "" {
		content, err = json.Marshal(map[string]any{"id": id, "method": method, "params": params})
	}
	if err == nil {
		_, err = b.to.Write(append(content, 0))
	}
	b.mu.Unlock()
	if err != nil {
		return err
	}
	select {
	case r, open := <-answer:
		switch {
		case !open:
			return errors.New("the browser has ended")
		case r.Error != nil:
			return fmt.Errorf("%s: %s", method, r.Error.Message)
		case result != nil:
			return json.Unmarshal(r.Result, result)
		}
		return nil
	case <-time.After(2 * time.Minute):
		return fmt.Errorf("%s: no answer", method)
	}
}

// Page is a page in it.
type Page struct {
	t       *testing.T
	browser *Browser
	session string
	loaded  chan struct{}
	mu      sync.Mutex // of the rest
	errors  []string
	asked   []string
}

// Settings say how a page is to be seen.
type Settings struct {
	Width, Height int
	Dark          bool
	NoScript      bool
}

// Open opens a file, and waits until it is loaded.
func (b *Browser) Open(t *testing.T, file string, s Settings) *Page {
	t.Helper()
	var target struct{ TargetID string }
	require.NoError(t, b.call("", "Target.createTarget", map[string]any{"url": "about:blank"}, &target))
	var attached struct{ SessionID string }
	require.NoError(t, b.call("", "Target.attachToTarget", map[string]any{"targetId": target.TargetID, "flatten": true}, &attached))
	p := &Page{t: t, browser: b, session: attached.SessionID, loaded: make(chan struct{}, 16)}
	b.mu.Lock()
	b.pages[p.session] = p
	b.mu.Unlock()
	t.Cleanup(func() {
		b.call("", "Target.closeTarget", map[string]any{"targetId": target.TargetID}, nil)
		b.mu.Lock()
		delete(b.pages, p.session)
		b.mu.Unlock()
	})
	for _, domain := range []string{"Page", "Runtime", "Log", "Network"} {
		p.call(domain+".enable", nil, nil)
	}
	if s.Width == 0 {
		s.Width, s.Height = 1280, 800
	}
	scheme := "light"
	if s.Dark {
		scheme = "dark"
	}
	p.call("Emulation.setDeviceMetricsOverride", map[string]any{"width": s.Width, "height": s.Height, "deviceScaleFactor": 1, "mobile": false}, nil)
	p.call("Emulation.setEmulatedMedia", map[string]any{"features": []any{map[string]any{"name": "prefers-color-scheme", "value": scheme}}}, nil)
	p.call("Emulation.setScriptExecutionDisabled", map[string]any{"value": s.NoScript}, nil)
	for len(p.loaded) > 0 {
		<-p.loaded
	}
	p.call("Page.navigate", map[string]any{"url": "file://" + file}, nil)
	select {
	case <-p.loaded:
	case <-time.After(time.Minute):
		require.Fail(t, "the page was not loaded")
	}
	return p
}

func (p *Page) call(method string, params, result any) {
	p.t.Helper()
	require.NoError(p.t, p.browser.call(p.session, method, params, result))
}

// event takes in what happened on the page.
func (p *Page) event(r reply) {
	p.mu.Lock()
	defer p.mu.Unlock()
	switch r.Method {
	case "Page.loadEventFired":
		select {
		case p.loaded <- struct{}{}:
		default:
		}
	case "Runtime.exceptionThrown":
		p.errors = append(p.errors, string(r.Params))
	case "Runtime.consoleAPICalled":
		p.errors = append(p.errors, string(r.Params))
	case "Log.entryAdded":
		p.errors = append(p.errors, string(r.Params))
	case "Network.requestWillBeSent":
		var sent struct{ Request struct{ URL string } }
		if json.Unmarshal(r.Params, &sent) == nil && !strings.HasPrefix(sent.Request.URL, "data:") {
			p.asked = append(p.asked, sent.Request.URL)
		}
	}
}

// Errors are what the console says, and Requests what was loaded, the page itself first.
func (p *Page) Errors() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string{}, p.errors...)
}

// Requests are the addresses of what was loaded, the page itself first.
func (p *Page) Requests() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string{}, p.asked...)
}

// Eval evaluates an expression on the page, waits for its promise if it is one, and takes the
// value into result.
func (p *Page) Eval(expression string, result any) {
	p.t.Helper()
	var answer struct {
		Result struct {
			Value json.RawMessage
		}
		ExceptionDetails *struct {
			Text      string
			Exception struct{ Description string }
		}
	}
	p.call("Runtime.evaluate", map[string]any{"expression": expression, "returnByValue": true, "awaitPromise": true}, &answer)
	if e := answer.ExceptionDetails; e != nil {
		require.Fail(p.t, e.Text+" "+e.Exception.Description)
	}
	if result != nil {
		require.NoError(p.t, json.Unmarshal(answer.Result.Value, result), expression)
	}
}

// Text evaluates an expression that gives text.
func (p *Page) Text(expression string) (text string) {
	p.t.Helper()
	p.Eval("String("+expression+")", &text)
	return text
}

// Press presses a key, by its name in the UI Events standard of the W3C.
func (p *Page) Press(key string) {
	p.t.Helper()
	event := map[string]any{"key": key, "type": "keyDown"}
	if len(key) == 1 {
		event["text"] = key
	}
	if key == "Enter" {
		event["text"], event["windowsVirtualKeyCode"] = "\r", 13
	}
	p.call("Input.dispatchKeyEvent", event, nil)
	p.call("Input.dispatchKeyEvent", map[string]any{"key": key, "type": "keyUp"}, nil)
}

// Type types text into what has the focus.
func (p *Page) Type(text string) {
	p.t.Helper()
	p.call("Input.insertText", map[string]any{"text": text}, nil)
}

// Wait waits until an expression is true.
func (p *Page) Wait(expression string) {
	p.t.Helper()
	require.Eventually(p.t, func() bool { return p.Text(expression) == "true" }, 20*time.Second, 20*time.Millisecond, expression)
}

// Picture returns what the page looks like, as a PNG.
func (p *Page) Picture() []byte {
	p.t.Helper()
	var answer struct{ Data []byte }
	p.call("Page.captureScreenshot", map[string]any{"format": "png"}, &answer)
	return answer.Data
}
