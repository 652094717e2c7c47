package cli

import (
	"flag"
	"fmt"
	"runtime"
	"runtime/debug"
)

// versionCommand is zarvek version.
func versionCommand() command {
	return command{
		name: "version", plain: true,
		short: "the version of this program",
		setup: func(*flag.FlagSet) action {
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("version takes no arguments")
				}
				fmt.Fprintf(
					e.out,
					"zarvek %s (%s, %s/%s)\n",
					version(),
					runtime.Version(),
					runtime.GOOS,
					runtime.GOARCH,
				)
				return nil
			}
		},
	}
}

// version is that of the module, with the commit where the build knows it.
func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	v := info.Main.Version
	if v == "" {
		v = "(devel)"
	}
	return v
}
