package cli

import (
	"flag"

	"zarvek/internal/present"
)

// devicesCommand is zarvek devices.
func devicesCommand() command {
	return command{
		name:  "devices",
		short: "what was read of each device, what is missing, what could not be read",
		long: `Shows every device of the case: its routes, addresses and captures, the lines that
could not be read, and what was not captured at all. Start here: an answer is only
as good as the captures behind it.`,
		setup: func(fs *flag.FlagSet) action {
			var q present.DevicesQuery
			fs.BoolVar(&q.Files, "files", false, "list every capture with its layout and its lines")
			fs.BoolVar(&q.Unread, "unread", false, "list every line that was not read, and why")
			return func(e *env, args []string) error {
				if len(args) > 0 {
					return usagef("devices takes no arguments, only options; zarvek table %s shows one device", args[0])
				}
				l, err := e.load()
				if err != nil {
					return err
				}
				all := l.Summaries()
				q.LeftOut, q.Gathered = l.LeftOut, l.Gathered()
				if e.as == "json" {
					err = present.DevicesJSON(e.out, all, q, e.view(l))
				} else {
					err = present.DevicesText(e.out, all, q, e.view(l))
				}
				if err == nil && l.Network.Devices().Len() == 0 {
					return &noDevices{l.Dir}
				}
				return err
			}
		},
	}
}
