package lab

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"testing"
)

// inside marks the process that the tests started again in namespaces of their own.
const inside = "ZARVEK_LAB_INSIDE"

// cannot is why this machine makes no network namespaces; "" where it does.
var cannot string

// TestMain gives the tests what they need to build networks: where they are not started by root, the test binary
// starts itself again in a user, mount and network namespace, in which it is.
func TestMain(m *testing.M) {
	if os.Getenv(agentOf) != "" {
		if err := agentMain(os.Stdin, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
	if os.Getuid() == 0 || os.Getenv(inside) != "" {
		if os.Getenv(inside) != "" {
			cannot = prepare()
		}
		os.Exit(m.Run())
	}
	c := exec.Command("/proc/self/exe", os.Args[1:]...)
	c.Env = append(os.Environ(), inside+"=1", "PATH="+os.Getenv("PATH")+":/usr/sbin:/sbin")
	c.Stdin, c.Stdout, c.Stderr = os.Stdin, os.Stdout, os.Stderr
	c.SysProcAttr = &syscall.SysProcAttr{
		Cloneflags:  syscall.CLONE_NEWUSER | syscall.CLONE_NEWNS | syscall.CLONE_NEWNET | syscall.CLONE_NEWPID,
		UidMappings: []syscall.SysProcIDMap{{ContainerID: 0, HostID: os.Getuid(), Size: 1}},
		GidMappings: []syscall.SysProcIDMap{{ContainerID: 0, HostID: os.Getgid(), Size: 1}},
	}
	err := c.Run()
	var exit *exec.ExitError
	switch {
	case err == nil:
		os.Exit(0)
	case errors.As(err, &exit):
		os.Exit(exit.ExitCode())
	}
	cannot = fmt.Sprintf("this user may make no namespaces: %v", err)
	os.Exit(m.Run())
}

// prepare gives the mount namespace a /run of its own, where named network namespaces are kept, and a /proc and /sys
// that show what is here.
func prepare() string {
	for _, m := range []struct{ what, on, kind string }{{"none", "/", ""}, {"tmpfs", "/run", "tmpfs"}, {"proc", "/proc", "proc"}, {"sysfs", "/sys", "sysfs"}} {
		flags := uintptr(0)
		if m.kind == "" {
			flags = syscall.MS_REC | syscall.MS_PRIVATE
		}
		if err := syscall.Mount(m.what, m.on, m.kind, flags, ""); err != nil && m.kind != "sysfs" {
			return fmt.Sprintf("%s cannot be mounted in a namespace: %v", m.on, err)
		}
	}
	return ""
}

// skipped ends a test that cannot run here, aloud: where the machine should be able to (CI), that is a failure.
func skipped(t *testing.T, format string, args ...any) {
	t.Helper()
	why := fmt.Sprintf(format, args...)
	if os.Getenv("CI") != "" {
		t.Fatalf("SKIPPED, which CI does not accept: %s", why)
	}
	t.Skipf("SKIPPED: %s", why)
}
