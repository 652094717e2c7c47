package main

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// browser starts Debian's chromium, or skips the test where it is not installed.
func browser(t *testing.T) context.Context {
	t.Helper()
	path, err := exec.LookPath("chromium")
	if err != nil {
		t.Skip("SKIPPED: needs chromium (Debian package chromium)")
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.WSURLReadTimeout(time.Minute))
	ctx, stop := chromedp.NewExecAllocator(context.Background(), opts...)
	t.Cleanup(stop)
	ctx, stop = chromedp.NewContext(ctx)
	t.Cleanup(stop)
	ctx, stop = context.WithTimeout(ctx, 2*time.Minute)
	t.Cleanup(stop)
	return ctx
}

// page writes a report of a case, and returns its address.
func page(t *testing.T, dir string, args ...string) string {
	t.Helper()
	at := filepath.Join(t.TempDir(), "report.html")
	out, err := os.Create(at)
	require.NoError(t, err)
	cmd := exec.Command("zarvek", append([]string{"report", "-case", dir}, args...)...)
	cmd.Stdout = out
	err = cmd.Run()
	var exit *exec.ExitError
	require.ErrorAs(t, err, &exit)
	require.Equal(t, 1, exit.ExitCode(), "there are findings")
	require.NoError(t, out.Close())
	return (&url.URL{Scheme: "file", Path: at}).String()
}

// complaints collects what a page writes to the console, script errors, and what the browser refuses to load or run.
func complaints(t *testing.T, ctx context.Context) func() []string {
	var mu sync.Mutex
	var all []string
	require.NoError(t, chromedp.Listen(ctx, func(ev any) {
		mu.Lock()
		defer mu.Unlock()
		switch e := ev.(type) {
		case *runtime.EventConsoleAPICalled:
			all = append(all, fmt.Sprint(e.Type, " ", e.Args))
		case *runtime.EventExceptionThrown:
			all = append(all, e.ExceptionDetails.Text)
		case *log.EventEntryAdded:
			all = append(all, e.Entry.Text)
		}
	}))
	return func() []string {
		mu.Lock()
		defer mu.Unlock()
		return slices.Clone(all)
	}
}

// open shows a page in a window of some width.
func open(t *testing.T, ctx context.Context, at string, width int64) {
	t.Helper()
	for _, do := range []chromedp.Action[chromedp.Void]{chromedp.EmulateViewport(width, 844), chromedp.Navigate(at)} {
		_, err := chromedp.Run(ctx, do)
		require.NoError(t, err)
	}
}

// ask evaluates a script in the page.
func ask[T any](t *testing.T, ctx context.Context, script string) T {
	t.Helper()
	out, err := chromedp.Run(ctx, chromedp.Evaluate[T](script))
	require.NoError(t, err)
	return out
}

const brokenLinks = `Array.from(document.querySelectorAll('a[href]')).filter(a => !document.getElementById(decodeURIComponent(a.getAttribute('href').slice(1)))).map(a => a.outerHTML)`

// TestReportInABrowser: no complaint, every link leads somewhere, nothing is wider than the window, with and without
// the page's script.
func TestReportInABrowser(t *testing.T) {
	ctx := browser(t)
	dir := t.TempDir()
	demo := exec.Command("zarvek", "demo", "-to", filepath.Join(dir, "night"))
	require.NoError(t, demo.Run())
	at := page(t, filepath.Join(dir, "night-after"), "-before", filepath.Join(dir, "night"), "-require", filepath.Join(dir, "night-must.txt"))
	said := complaints(t, ctx)
	for _, width := range []int64{1280, 390} {
		open(t, ctx, at, width)
		require.Empty(t, ask[[]string](t, ctx, brokenLinks))
		require.Greater(t, ask[int](t, ctx, `document.querySelectorAll('a[href]').length`), 100)
		require.False(t, ask[bool](t, ctx, `document.documentElement.scrollWidth > document.documentElement.clientWidth`), "%d wide: it scrolls sideways", width)
		ask[bool](t, ctx, `document.querySelector('.matrix td.two a').click(), true`)
		require.Eventually(t, func() bool {
			return ask[int](t, ctx, `document.querySelectorAll('#traces[open] .trace:target').length`) == 1
		}, 10*time.Second, 50*time.Millisecond, "a cell leads to its trace")
	}
	shown := ask[int](t, ctx, `(function () {
		document.querySelectorAll('details').forEach(d => { d.open = true; });
		var input = document.querySelector('.find input');
		input.value = '10.61.40.0/24';
		input.dispatchEvent(new Event('input'));
		return Array.from(document.querySelector('table.routes').tBodies[0].rows).filter(r => !r.hidden).length;
	})()`)
	require.Positive(t, shown)
	require.Less(t, shown, 5)
	require.Empty(t, said())
}

// TestReportOfHostileCaptures: names and lines that would be markup or script are text, and none of them runs.
func TestReportOfHostileCaptures(t *testing.T) {
	ctx := browser(t)
	dir := t.TempDir()
	evil := `<img src=x onerror=document.title='owned'>`
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o666))
	}
	codes := "Codes: C - connected, S - static\n"
	write("hut<script>document.title='owned'<\\script>/table.txt", codes+"C    10.9.0.0/24 is directly connected, lan0\nC    172.28.9.0/30 is directly connected, \""+evil+"\"\nS    10.9.1.0/24 [1/0] via 172.28.9.2, "+evil+"\n"+
		"</pre></details><script>document.title='owned'</script>\nS    10.9.3.0/24 [1/0] via 172.28.9.2\n")
	write("lower/table.txt", codes+"C    172.28.9.0/30 is directly connected, e0\nC    10.9.1.0/24 is directly connected, lan0\nS 10.9.4.0/33 "+evil+"\n")
	write("notes.yaml", "hosts:\n  \"<b onclick=1>\": 10.9.0.7\n")
	at := page(t, dir)
	said := complaints(t, ctx)
	open(t, ctx, at, 1280)
	require.True(t, strings.HasPrefix(ask[string](t, ctx, `document.title`), "Routing of "))
	require.Equal(t, 1, ask[int](t, ctx, `document.querySelectorAll('script').length + document.querySelectorAll('img:not(.map img)').length + document.querySelectorAll('[onerror],[onclick]').length`),
		"the page's own script, and nothing else")
	require.Contains(t, ask[string](t, ctx, `document.body.textContent`), "onerror=", "it is there as text")
	require.Empty(t, said())
}
