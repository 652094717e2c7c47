package main

import (
	"os"
	"testing"

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
			return demo.Write(e.WorkDir + "/kjelven")
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
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
