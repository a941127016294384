package cli_test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shell is a real shell at a terminal, in which frank completes words.
type shell struct {
	t    *testing.T
	tty  *os.File
	lock sync.Mutex
	sent bytes.Buffer
}

var control = regexp.MustCompile("\x1b(\\[[0-9;?>=]*[a-zA-Z~]|\\][^\x07\x1b]*(\x07|\x1b\\\\)?|[=>()][0-9A-Z]?|.)|\x07")

// screen is what the terminal shows of what it was sent since the last keys.
func (s *shell) screen() string {
	s.lock.Lock()
	defer s.lock.Unlock()
	var lines [][]rune
	var line []rune
	at := 0
	for _, r := range control.ReplaceAllString(s.sent.String(), "") {
		switch {
		case r == '\n':
			lines, line, at = append(lines, line), nil, 0
		case r == '\b':
			at = max(0, at-1)
		case r == '\r':
			at = 0
		case at < len(line):
			line[at] = r
			at++
		default:
			line = append(line, r)
			at++
		}
	}
	var b strings.Builder
	for _, line := range append(lines, line) {
		b.WriteString(string(line) + "\n")
	}
	return b.String()
}

// types sends keys, and waits until the terminal shows some text.
func (s *shell) types(keys, until string) {
	s.lock.Lock()
	s.sent.Reset()
	s.lock.Unlock()
	_, err := s.tty.WriteString(keys)
	require.NoError(s.t, err)
	if !assert.Eventually(s.t, func() bool { return strings.Contains(s.screen(), until) }, 20*time.Second, 10*time.Millisecond, "%q after %q", until, keys) {
		s.t.Logf("the terminal shows %q", s.screen())
	}
}

// inShell starts a shell in a folder, which reads the script of completion.
func inShell(t *testing.T, name, dir string) *shell {
	path, err := exec.LookPath(name)
	if err != nil {
		t.Skip("no " + name + " here")
	}
	home := t.TempDir()
	cmd := command(t, dir)
	cmd.Path, cmd.Args = path, map[string][]string{"bash": {"bash", "--norc", "--noprofile", "-i"}, "zsh": {"zsh", "-f", "-i"}, "fish": {"fish", "--no-config", "-i"}}[name]
	bin := filepath.Join(home, "bin")
	require.NoError(t, os.Mkdir(bin, 0o755))
	require.NoError(t, os.Symlink(frank, filepath.Join(bin, "frank")))
	cmd.Env = append(cmd.Env, "HOME="+home, "XDG_DATA_HOME="+home, "XDG_STATE_HOME="+home, "XDG_CONFIG_HOME="+home, "TERM=xterm", "PATH="+bin+":"+os.Getenv("PATH"), "PS1=> ", "FRANK_LEDGER="+filepath.Join(home, "ledger"))
	for _, line := range []string{"record counts --label weekly", "search recordings where empty --remember vacant", "act hide counts where ext is csv --carry-out --yes"} {
		first := command(t, dir, strings.Fields(line)...)
		first.Env = cmd.Env
		require.Zero(t, finish(t, first).status, line)
	}
	tty, err := pty.StartWithSize(cmd, &pty.Winsize{Cols: 160, Rows: 50})
	require.NoError(t, err)
	s := &shell{t: t, tty: tty}
	t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
		tty.Close()
	})
	go func() {
		buf := make([]byte, 4096)
		for {
			n, err := tty.Read(buf)
			s.lock.Lock()
			s.sent.Write(buf[:n])
			s.lock.Unlock()
			if err != nil {
				return
			}
			if bytes.Contains(buf[:n], []byte("\x1b[c")) { // the shell asks what terminal this is
				tty.WriteString("\x1b[?62c")
			}
		}
	}()
	script := `eval "$(frank completion ` + name + `)"`
	if name == "fish" {
		script = "frank completion fish | source"
	}
	s.types(script+"; echo rea''dy\r", "ready")
	return s
}

// In a plain shell without other packages, the Tab key completes all words of a command
// line.
func TestShells(t *testing.T) {
	for _, name := range []string{"bash", "zsh", "fish"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := inShell(t, name, ternPoint(t))
			for _, c := range []struct{ typed, completed string }{
				{"frank outl\t", "outline "},
				{"frank list --colo\t", "--colour "},
				{"frank list --colu\tsi\t", "--columns size"},
				{"frank list --as js\tl", "jsonl"},
				{"frank list --order modified/r\t", "modified/reverse"},
				{"frank list rec\tri\t", "recordings/ridge/"},
				{"frank list 'read m\t", "read me first.txt"},
				{"frank list read\t", map[string]string{"bash": `read\ me\ first.txt`, "zsh": `read\ me\ first.txt`, "fish": `read\ me\ first.txt`}[name]},
				{"frank search wh\tmodif\twi\t", "where modified within "},
				{"frank search where size at le\t10M\t", "least 10M"},
				{"frank search where kind is fol\tan\tempt\t", "folder and empty"},
				{"frank search recordings where ext i\t", "ext is "},
				{"frank search where modified since mond\t", "monday "},
				{"frank list @wee\t", "@weekly"},
				{"frank record --label we\t", "weekly"},
				{"frank recall va\t", "vacant"},
				{"frank act undo \t", "undo 1"},
				{"frank help cond\t", "conditions "},
			} {
				s.types(c.typed, c.completed)
				s.types("\x15\r", "") // takes the line back
			}
		})
	}
}
