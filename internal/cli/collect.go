package cli

import (
	"context"
	"flag"
	"os"
	"os/signal"
	"time"

	"zarvek/internal/casefile"
	"zarvek/internal/collect"
	"zarvek/internal/present"
)

// collectCommand is zarvek collect.
func collectCommand() command {
	return command{
		name: "collect", args: "SOURCE...",
		short: "copy captures into the case, with where they came from",
		long: `Copies files, folders, archives (zip and tar, also compressed) and standard input (-)
into the case's folder. A folder or archive keeps its own folders, of which the first is
the device's name; other files stand in the case itself, and their prompts or names
tell the device, unless -device says which it is. Where each file came from, its size,
SHA-256 and time stand in provenance.json there. The same content is taken once. The
case stays as it was until everything is there: whatever ends the program, it holds all
of a collection or nothing of it. One collection works in a case at a time; another one
waits for it. Links are not followed, but for a SOURCE or a case that is one, and told.

An archive is one by its content, whatever it is called. Archives may not reach outside of
themselves, nor hold links or devices, nor unpack to more than 1 GiB or 100000 files: such
a one is refused as a whole.`,
		setup: func(fs *flag.FlagSet) action {
			dry := fs.Bool("dry-run", false, "only show what would be read")
			device := fs.String("device", "", "put everything into the folder of this device `name`")
			return func(e *env, args []string) error {
				if len(args) == 0 {
					return usagef(
						"collect takes at least one SOURCE: a file, a folder, an archive, or - for standard input",
					)
				}
				described, err := casefile.Describe(e.layouts)
				if err != nil {
					return err
				}
				ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
				defer stop()
				parts := map[string][]casefile.Stretch{}
				result, err := collect.Run(
					ctx,
					args,
					collect.Options{
						Case:   e.caseDir,
						Device: *device,
						DryRun: *dry,
						Stdin:  os.Stdin,
						Now:    time.Now().UTC().Truncate(time.Second),
						Look: func(it collect.Item, file string) {
							if raw, err := os.ReadFile(file); err == nil {
								parts[it.File], _ = casefile.Preview(it.File, raw, described)
							}
						},
					},
				)
				if err != nil {
					return err
				}
				var all []present.Collected
				for _, it := range result.Items {
					c := present.Collected{Item: it}
					if !it.Known {
						c.Parts = parts[it.File]
					}
					all = append(all, c)
				}
				if e.as == "json" {
					return present.CollectJSON(e.out, e.caseDir, all, result, *dry)
				}
				return present.CollectText(e.out, e.caseDir, all, result, *dry, e.view(nil))
			}
		},
	}
}
