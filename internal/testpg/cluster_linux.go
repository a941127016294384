package testpg

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/require"
)

// Cluster is a highly available server: three nodes that Patroni looks after by etcd, one of
// which leads, and one keeps up with it: nothing is committed that this has not got.
type Cluster struct {
	folder string
	nodes  []*node
}

type node struct {
	port, api int
	data      string
	patroni   *exec.Cmd
}

// StartCluster starts a cluster for a test. Where it cannot be, the test is skipped.
func StartCluster(t *testing.T) *Cluster {
	if testing.Short() {
		t.Skip("a cluster takes long to start")
	}
	if Programs() == "" {
		t.Skip("PostgreSQL is not installed (Debian's package postgresql)")
	}
	for program, of := range map[string]string{"patroni": "patroni", "etcd": "etcd-server"} {
		if _, err := exec.LookPath(program); err != nil {
			t.Skip("there is no " + program + " (Debian's package " + of + ")")
		}
	}
	folder, err := os.MkdirTemp("", "frank-test-cluster")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(folder) })
	if os.Geteuid() == 0 {
		uid, gid := Account()
		require.NoError(t, os.Chown(folder, uid, gid))
	}
	c := &Cluster{folder: folder}
	ports := freePorts(t, 8)
	c.start(t, "etcd", "etcd", "--data-dir", filepath.Join(folder, "etcd"), "--unsafe-no-fsync", "--listen-client-urls", local(ports[0]), "--advertise-client-urls", local(ports[0]),
		"--listen-peer-urls", local(ports[1]), "--initial-advertise-peer-urls", local(ports[1]), "--initial-cluster", "default="+local(ports[1]))
	for i := range 3 {
		n := &node{port: ports[2+i], api: ports[5+i], data: filepath.Join(folder, fmt.Sprint("data", i))}
		text := fmt.Sprintf(settings, i, n.api, n.api, ports[0], n.port, n.port, n.data, Programs(), folder, folder)
		name := filepath.Join(folder, fmt.Sprint("node", i, ".yml"))
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		n.patroni = c.start(t, fmt.Sprint("node", i), "patroni", name)
		c.nodes = append(c.nodes, n)
	}
	t.Cleanup(func() {
		for _, n := range c.nodes {
			n.kill()
		}
		if t.Failed() {
			for i := range c.nodes {
				text, _ := os.ReadFile(filepath.Join(folder, fmt.Sprint("node", i, ".log")))
				t.Logf("node %d: %s", i, text[max(0, len(text)-2000):])
			}
		}
	})
	require.Eventually(t, func() bool {
		ready := 0
		for _, n := range c.nodes {
			if n.says("/primary") || n.says("/replica") {
				ready++
			}
		}
		synchronous := false
		for _, n := range c.nodes {
			synchronous = synchronous || n.says("/synchronous")
		}
		return ready == 3 && synchronous
	}, 2*time.Minute, 200*time.Millisecond, "the cluster did not start")
	return c
}

// settings are those of a node. It is to be missed after twenty seconds, the least that Patroni takes.
const settings = `
scope: frank
name: node%d
restapi: {listen: "127.0.0.1:%d", connect_address: "127.0.0.1:%d"}
etcd3: {host: "127.0.0.1:%d"}
bootstrap:
  dcs:
    ttl: 20
    loop_wait: 1
    retry_timeout: 5
    synchronous_mode: true
    postgresql: {use_pg_rewind: true, parameters: {max_connections: 100, wal_log_hints: "on"}}
  initdb: [{encoding: UTF8}, {locale: C}, no-sync]
postgresql:
  listen: 127.0.0.1:%d
  connect_address: 127.0.0.1:%d
  data_dir: %s
  bin_dir: %s
  pgpass: %s/pgpass
  authentication:
    superuser: {username: owner}
    replication: {username: replicator}
  parameters: {unix_socket_directories: %s, shared_buffers: 32MB, full_page_writes: "on"}
  pg_hba: ["local all all trust", "host all all 127.0.0.1/32 trust", "host replication all 127.0.0.1/32 trust"]
`

func local(port int) string { return "http://127.0.0.1:" + strconv.Itoa(port) }

// freePorts returns ports that nobody uses just now.
func freePorts(t *testing.T, count int) (ports []int) {
	for range count {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer l.Close()
		ports = append(ports, l.Addr().(*net.TCPAddr).Port)
	}
	return ports
}

// start starts a program of the cluster, as the user that the server is.
func (c *Cluster) start(t *testing.T, name string, words ...string) *exec.Cmd {
	cmd := exec.Command(words[0], words[1:]...)
	cmd.Dir = c.folder
	cmd.Env = []string{"PATH=/usr/bin:/bin:" + Programs(), "LC_ALL=C", "TZ=UTC", "HOME=" + c.folder, "ETCD_UNSUPPORTED_ARCH=arm64"}
	cmd.SysProcAttr = &syscall.SysProcAttr{}
	if os.Geteuid() == 0 {
		uid, gid := Account()
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	}
	dieWithTests(cmd.SysProcAttr)
	log, err := os.Create(filepath.Join(c.folder, name+".log"))
	require.NoError(t, err)
	defer log.Close()
	cmd.Stdout, cmd.Stderr = log, log
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		cmd.Process.Kill()
		cmd.Wait()
	})
	return cmd
}

// says reports whether a node says that it is something.
func (n *node) says(what string) bool {
	client := http.Client{Timeout: time.Second}
	answer, err := client.Get(local(n.api) + what)
	if err != nil {
		return false
	}
	answer.Body.Close()
	return answer.StatusCode == http.StatusOK
}

// kill kills all processes of a node.
func (n *node) kill() {
	n.patroni.Process.Kill()
	text, _ := os.ReadFile(filepath.Join(n.data, "postmaster.pid"))
	first, _, _ := strings.Cut(string(text), "\n")
	if pid, err := strconv.Atoi(first); err == nil && pid > 1 {
		syscall.Kill(pid, syscall.SIGKILL)
	}
}

// KillLeader kills all processes of the node that leads, and does not tell anybody.
func (c *Cluster) KillLeader(t *testing.T) {
	for _, n := range c.nodes {
		if n.says("/primary") {
			n.kill()
			return
		}
	}
	require.Fail(t, "nobody leads")
}

// Named is the connection string of a database of the cluster, of whatever node leads.
func (c *Cluster) Named(database string) string {
	var hosts []string
	for _, n := range c.nodes {
		hosts = append(hosts, "127.0.0.1:"+strconv.Itoa(n.port))
	}
	return "postgresql://" + url.User("owner").String() + "@" + strings.Join(hosts, ",") + "/" + database + "?target_session_attrs=read-write&connect_timeout=2&sslmode=disable"
}

// Database makes a database, and returns its connection string.
func (c *Cluster) Database(t *testing.T) string {
	conn, err := pgconn.Connect(t.Context(), c.Named("postgres"))
	require.NoError(t, err)
	defer conn.Close(context.Background())
	require.NoError(t, conn.Exec(t.Context(), "CREATE DATABASE fleet").Close())
	for _, n := range c.nodes { // one that follows has it a little later
		require.Eventually(t, func() bool {
			conn, err := pgconn.Connect(t.Context(), "postgresql://owner@127.0.0.1:"+strconv.Itoa(n.port)+"/fleet?sslmode=disable")
			if err == nil {
				conn.Close(context.Background())
			}
			return err == nil
		}, time.Minute, 50*time.Millisecond)
	}
	return c.Named("fleet")
}
