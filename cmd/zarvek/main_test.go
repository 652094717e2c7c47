package main

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"

	"zarvek/internal/cli"
	"zarvek/internal/demo"
)

func TestMain(m *testing.M) {
	testscript.Main(m, map[string]func(){
		"zarvek": func() { os.Exit(cli.Run(os.Args[1:], os.Stdout, os.Stderr)) },
	})
}

func TestScripts(t *testing.T) {
	testscript.Run(t, testscript.Params{
		Dir: "testdata/script",
		Setup: func(e *testscript.Env) error {
			e.Setenv("HOME", e.WorkDir+"/.home")
			e.Setenv("XDG_CACHE_HOME", e.WorkDir+"/.home/cache")
			return demo.Write(e.WorkDir + "/kjelven")
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
			// many N NEXTHOP FILE: a table of so many routes.
			"many": func(ts *testscript.TestScript, _ bool, args []string) {
				n, err := strconv.Atoi(args[0])
				ts.Check(err)
				var b strings.Builder
				for i := range n {
					fmt.Fprintf(&b, "10.%d.%d.0/24 via %s dev lift0 proto bgp metric %d \n", 64+i>>8, i&255, args[1], i%30)
				}
				ts.Check(os.MkdirAll(filepath.Dir(ts.MkAbs(args[2])), 0o777))
				ts.Check(os.WriteFile(ts.MkAbs(args[2]), []byte(b.String()), 0o666))
				old := time.Now().Add(-time.Hour)
				ts.Check(os.Chtimes(ts.MkAbs(args[2]), old, old))
			},
			// exit CODE COMMAND...: the program must end with that very code.
			"exit": func(ts *testscript.TestScript, _ bool, args []string) {
				err := ts.Exec(args[1], args[2:]...)
				got := "0"
				if err != nil {
					got = err.Error()
				}
				if want := "exit status " + args[0]; got != want && !(args[0] == "0" && err == nil) {
					ts.Fatalf("%v: %s, not %s", args[1:], got, want)
				}
			},
		},
	})
}
