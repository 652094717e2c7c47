package secrets

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

func TestADevicesOwnSecretComesFirst(t *testing.T) {
	var s Store
	require.NoError(t, s.Read("f", strings.NewReader("all: {password: for all of them}\nMast-GW: {password: 'of: the mast', raise: up}\n")))
	for device, want := range map[string]string{"mast-gw": "of: the mast", "summit": "for all of them"} {
		got, _, err := s.For(device, Password, "")
		require.NoError(t, err)
		require.Equal(t, want, got)
	}
	_, _, err := s.For("summit", Raise, "Secret?")
	require.ErrorIs(t, err, ErrNone)
	require.True(t, s.Has("mast-gw", Raise))
	require.False(t, s.Has("summit", Raise))
}

func TestTheTerminalIsAskedOnce(t *testing.T) {
	n := 0
	s := Store{Ask: func(string) (string, error) { n++; return "snow and rope", nil }}
	for _, d := range []string{"a", "b", "c"} {
		got, settle, err := s.For(d, Password, "Password of night: ")
		require.NoError(t, err)
		require.Equal(t, "snow and rope", got)
		settle(Taken)
	}
	require.Equal(t, 1, n)
	s = Store{Ask: func(string) (string, error) { return "", errors.New("end of file") }}
	_, _, err := s.For("a", Password, "?")
	require.ErrorIs(t, err, ErrNone)
}

func TestWhatWasTypedIsTriedOnOneDeviceFirst(t *testing.T) {
	typed := []string{"slip", "snow and rope"}
	s := Store{Ask: func(string) (string, error) { out := typed[0]; typed = typed[1:]; return out, nil }}
	first, settle, err := s.For("a", Password, "?")
	require.NoError(t, err)
	require.Equal(t, "slip", first)
	others := make(chan string, 50)
	for range cap(others) {
		go func() {
			got, settle, _ := s.For("b", Password, "?")
			settle(Taken)
			others <- got
		}()
	}
	select {
	case got := <-others:
		t.Fatalf("%q was given out while it was tried", got)
	case <-time.After(50 * time.Millisecond):
	}
	settle(Refused)
	for range cap(others) {
		require.Equal(t, "snow and rope", <-others)
	}
	_, settle, err = s.For("c", Password, "?")
	require.NoError(t, err)
	settle(Refused) // one device with another password is that device's trouble
	again, settle, err := s.For("d", Password, "?")
	require.NoError(t, err)
	settle(Untold)
	require.Equal(t, "snow and rope", again)
}

func TestAFileOfSecretsIsItsOwnersAlone(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "secrets.yaml")
	require.NoError(t, os.WriteFile(file, []byte("all: {password: snow and rope}\n"), 0o640))
	var s Store
	require.ErrorContains(t, s.ReadFile(file), "chmod 600")
	require.NoError(t, os.Chmod(file, 0o600))
	require.NoError(t, s.ReadFile(file))
	require.ErrorContains(t, s.ReadFile(dir), "not a plain file")
	pipe := filepath.Join(dir, "pipe")
	require.NoError(t, syscall.Mkfifo(pipe, 0o600))
	require.ErrorContains(t, s.ReadFile(pipe), "not a plain file", "nobody is waited for")
	require.ErrorContains(t, s.ReadFile(filepath.Join(dir, "none")), "cannot be read")
}

// TestASecretIsTakenAsItIsWritten whatever else YAML might make of it.
func TestASecretIsTakenAsItIsWritten(t *testing.T) {
	for _, secret := range []string{"0123", "12345", "1e3", "0x1f", "yes", "true", "1.50", "2026-11-27", "1_000", "+7", "null", "~x"} {
		var s Store
		require.NoError(t, s.Read("f", strings.NewReader("a: {password: "+secret+"}\n")), secret)
		got, _, err := s.For("a", Password, "")
		require.NoError(t, err)
		require.Equal(t, secret, got)
	}
}

func TestErrorsHoldNoSecret(t *testing.T) {
	for _, bad := range []string{
		"password: snowfall", "all: [snowfall]", "all: {passwort: snowfall}", "{snowfall", "all: {password: \"snowfall\n",
		"all: {password: \"snow\\nfall\"}", "a: {password: snowfall}\n a: snowfall", "\x00snowfall: [", "- snowfall", "snowfall",
	} {
		var s Store
		err := s.Read("secrets.yaml", strings.NewReader(bad))
		require.Error(t, err, bad)
		require.NotContains(t, err.Error(), "fall", bad)
		require.NotContains(t, err.Error(), "\n", bad)
	}
}

func TestScrub(t *testing.T) {
	var s Store
	require.NoError(t, s.Read("f", strings.NewReader("a: {password: snow and rope, raise: up, community: not given}\n")))
	for _, k := range []Kind{Password, Raise} {
		_, _, err := s.For("a", k, "")
		require.NoError(t, err)
	}
	got, n := s.Scrub([]byte("line up0 is up\nusername night password snow and rope\nnot given\n"))
	require.Equal(t, 1, n)
	require.Equal(t, "line up0 is up\nusername night password *************\nnot given\n", string(got))
}
