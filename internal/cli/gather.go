package cli

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"zarvek/internal/capture"
	"zarvek/internal/casefile"
	"zarvek/internal/gather"
	"zarvek/internal/gather/devlist"
	"zarvek/internal/gather/family"
	"zarvek/internal/gather/fetch"
	"zarvek/internal/gather/reach"
	"zarvek/internal/gather/secrets"
	"zarvek/internal/gather/target"
	"zarvek/internal/gather/terminal"
	"zarvek/internal/present"
	"zarvek/internal/source"
)

// gatherCommand is zarvek gather.
func gatherCommand() command {
	return command{
		name: "gather", args: "[DEVICE... | WAY://...]",
		short: "capture devices over the network, by commands that only read",
		long: `Asks devices for their routes and what decides over packets, many at once, and puts what they say
into the case as collect would. Which devices there are stands in devices.yaml in the case's folder:

  all: {user: night}
  devices:
    summit: 10.61.3.1
    mast-gw: {address: 10.61.3.2, jump: summit, raise: true, tables: [red]}
    valley: {address: 10.61.3.3, way: snmp}

  zarvek gather -dry-run           what would be asked, and nothing else
  zarvek gather                    all of them
  zarvek gather summit mast-gw     these
  zarvek gather -missing           those that are not in the case yet
  zarvek gather ssh://night@10.61.3.1

A device has: address, way, user, port, jump (a device, or USER@HOST:PORT), family (found by asking
where it does not stand), tables (named tables or VRFs), ask (more commands), raise (true: ask for the
level that shows the configuration), key (a private key's file), trust (a file of certificates), snmp
({version: 3 or 2c, auth: sha256, privacy: aes, context: ...}). What stands under all holds for each
device that does not say otherwise.

Ways: ssh (a terminal, or a command a channel), netconf (RFC 6241), restconf (RFC 8040), snmp
(version 3; 2c where asked for), local (this machine, local://NAME a network namespace of it).

Only commands that read are sent: those of the device's family, and yours if they begin with a reading
word of that family. No configuration is entered. SNMP only gets; NETCONF only says get.

Secrets are never arguments. Keys come from the SSH agent and key files; passwords are asked for on the
terminal, or stand in a file that only you may read (-secrets):

  all: {password: ...}
  mast-gw: {password: ..., raise: ...}
  valley: {auth: ..., privacy: ...}     community for version 2c, key for a key file's passphrase

A wrong password is tried once. Host keys must be known (known_hosts); an unknown one is shown and asked
about on a terminal, else refused; a changed one is always refused.

A device joins the case whole or not at all. Exit code 1: not all were captured, and gather -missing
tries those again; or nothing that one said reads as routes. Ctrl-C keeps what is done. A table that is
no longer the same at the end is told.`,
		setup: func(fs *flag.FlagSet) action {
			g := &gatherOptions{old: map[string]bool{}}
			fs.StringVar(&g.list, "devices", "",
				"the `file` that lists the devices; devices.yaml in the case where none is given")
			fs.BoolVar(&g.dry, "dry-run", false, "show what would be asked; contact nobody")
			fs.BoolVar(&g.missing, "missing", false, "only devices that have no captures in the case")
			fs.IntVar(&g.atOnce, "at-once", 16, "how `many` devices to ask at once")
			fs.IntVar(&g.perJump, "per-jump", 8, "how `many` of them by way of one jump host")
			fs.StringVar(&g.secrets, "secrets", "", "a `file` with passwords, which only you may read")
			fs.IntVar(&g.secretsFrom, "secrets-fd", -1, "read the passwords from this open descriptor `number`")
			fs.StringVar(&g.key, "key", "", "a `file` with a private key, in place of the usual ones and the agent's")
			fs.StringVar(&g.known, "known-hosts", "", "a `file` of known host keys, in place of the usual ones")
			fs.Func("old-algorithms", "speak SSH's old algorithms with this `device`; may be given several times",
				func(s string) error {
					g.old[strings.ToLower(s)] = true
					return nil
				})
			fs.Func("ask", "ask this reading `command` too; may be given several times", func(s string) error {
				g.ask = append(g.ask, s)
				return nil
			})
			fs.DurationVar(&g.connect, "connect", 10*time.Second, "how `long` a device may take to be connected")
			fs.DurationVar(&g.silence, "silence", 20*time.Second,
				"how `long` it may say nothing, before its prompt and in an answer")
			fs.DurationVar(&g.longest, "longest", 10*time.Minute, "how `long` one answer may take")
			fs.DurationVar(&g.watch, "watch", 0, "gather again each time this `long` has passed, into folders by time")
			fs.IntVar(&g.rounds, "rounds", 0, "with -watch: how `many` times; 0 until Ctrl-C")
			return func(e *env, args []string) error { return g.run(e, args) }
		},
	}
}

// gatherOptions are what the command line says.
type gatherOptions struct {
	list                      string
	dry, missing              bool
	atOnce, perJump           int
	secrets                   string
	secretsFrom               int
	key, known                string
	old                       map[string]bool
	ask                       []string
	connect, silence, longest time.Duration
	watch                     time.Duration
	rounds                    int
}

// run asks devices and puts what they say into the case, once or again and again.
func (g *gatherOptions) run(e *env, args []string) error {
	switch {
	case g.atOnce < 1 || g.perJump < 1:
		return usagef("-at-once and -per-jump take a number from 1 on")
	case g.connect <= 0 || g.silence <= 0 || g.longest <= 0:
		return usagef("-connect, -silence and -longest take times such as 20s")
	case g.watch > 0 && g.watch < time.Second:
		return usagef("-watch takes a time from 1s on")
	case g.watch < 0 || g.rounds < 0 || g.rounds > 0 && g.watch == 0:
		return usagef("-watch takes a time such as 10m, and -rounds a number beside it")
	case g.watch > 0 && g.missing:
		return usagef("-watch gathers all devices each time; -missing has no meaning beside it")
	}
	listed, err := g.listed(e, args)
	if err != nil {
		return err
	}
	targets, err := chosen(listed, args)
	if err != nil {
		return err
	}
	for i := range targets {
		targets[i].Ask = append(targets[i].Ask, g.ask...)
		if targets[i].Key == "" {
			targets[i].Key = g.key
		}
	}
	if err := g.check(listed, targets); err != nil {
		return err
	}
	if g.watch == 0 {
		if targets, err = g.uncaptured(e, targets); err != nil {
			return err
		}
	}
	if len(targets) == 0 {
		return present.GatherNothing(e.out, e.as, e.caseDir)
	}
	if g.dry {
		return g.plan(e, targets)
	}
	return g.gather(e, listed, targets)
}

// listed reads the list of devices; there need be none where all arguments say where to go.
func (g *gatherOptions) listed(e *env, args []string) ([]target.Target, error) {
	name := g.list
	if name == "" {
		name = filepath.Join(e.caseDir, casefile.DevicesFile)
	}
	text, err := source.ReadFile(name, source.MaxRecord)
	if errors.Is(err, fs.ErrNotExist) && g.list == "" {
		for _, a := range args {
			if !strings.Contains(a, "://") {
				return nil, usagef("%s: there is no such file, so no device is called %q; write one (zarvek help "+
					"gather), or give WAY://USER@HOST", name, a)
			}
		}
		if len(args) == 0 {
			return nil, usagef("%s: there is no such file; write one (zarvek help gather), or give WAY://USER@HOST",
				name)
		}
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("%s: cannot be read: %w", name, source.Cause(err))
	}
	return devlist.Parse(name, text)
}

// chosen picks the devices that the arguments name; all where there are none.
func chosen(listed []target.Target, args []string) ([]target.Target, error) {
	if len(args) == 0 {
		return listed, nil
	}
	var names []string
	for _, t := range listed {
		names = append(names, t.Name)
	}
	var out []target.Target
	seen := map[string]bool{}
	for _, a := range args {
		var t target.Target
		if strings.Contains(a, "://") {
			var err error
			if t, err = target.Parse(a); err != nil {
				return nil, usagef("%v", err)
			}
		} else {
			i, err := pick(a, names)
			if err != nil {
				hint := err.Error()
				if hint == "" {
					hint = "; it names " + strings.Join(names, ", ")
				}
				return nil, usagef("no device of the list is called %q%s", a, hint)
			}
			t = listed[i]
		}
		if seen[strings.ToLower(t.Name)] {
			return nil, usagef("%s is named twice", t.Name)
		}
		seen[strings.ToLower(t.Name)] = true
		out = append(out, t)
	}
	return out, nil
}

// check refuses commands that do not read, and what names nothing, before anybody is contacted.
func (g *gatherOptions) check(listed, targets []target.Target) error {
	for name := range g.old {
		if !slices.ContainsFunc(append(listed[:len(listed):len(listed)], targets...),
			func(t target.Target) bool { return strings.EqualFold(t.Name, name) }) {
			return usagef("-old-algorithms names %q, which is none of the devices", name)
		}
	}
	for _, t := range targets {
		if t.Key != "" {
			if err := reach.CheckKey(t.Key); err != nil {
				return usagef("%s: %v", t.Name, err)
			}
		}
		if _, err := fetch.Plan(t); err != nil {
			return usagef("%s: %v", t.Name, err)
		}
		if t.Way != target.SSH && t.Way != target.Local && len(t.Ask) > 0 {
			return usagef("%s is reached by %s, which takes no commands; -ask is for ssh and local", t.Name, t.Way)
		}
		if t.Family == "" && t.Way == target.SSH {
			for _, c := range t.Ask {
				if err := someFamilyAllows(c); err != nil {
					return usagef("%s: %v", t.Name, err)
				}
			}
		}
	}
	return nil
}

// someFamilyAllows reports in an error that a command reads on no family. Which one the device is of is not known yet;
// it is judged again by that one before it is sent.
func someFamilyAllows(command string) error {
	err := family.Unknown().Allow(command)
	for _, f := range family.All() {
		if err == nil || f.Allow(command) == nil {
			return nil
		}
	}
	return err
}

// uncaptured leaves out the devices that are in the case, which -missing asks for; without it they are refused, since
// two moments of one device in one case would be taken for one.
func (g *gatherOptions) uncaptured(e *env, targets []target.Target) ([]target.Target, error) {
	var names []string
	for _, t := range targets {
		names = append(names, t.Name)
	}
	have, err := gather.Captured(e.caseDir, names)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", e.caseDir, source.Cause(err))
	}
	if len(have) == 0 || g.dry && !g.missing {
		return targets, nil
	}
	if !g.missing {
		return nil, usagef("the case has captures of %s already, and those of two moments cannot stand in one case; "+
			"take -missing "+
			"for the others, or a new folder with -case", strings.Join(have, ", "))
	}
	var out []target.Target
	for _, t := range targets {
		if !slices.ContainsFunc(have, func(n string) bool { return strings.EqualFold(n, t.Name) }) {
			out = append(out, t)
		}
	}
	return out, nil
}

// plan shows what would be asked.
func (g *gatherOptions) plan(e *env, targets []target.Target) error {
	var all []present.Planned
	for _, t := range targets {
		commands, err := fetch.Plan(t)
		if err != nil {
			return usagef("%s: %v", t.Name, err)
		}
		all = append(all, present.Planned{Target: t, Commands: commands})
	}
	if e.as == "json" {
		return present.GatherPlanJSON(e.out, e.caseDir, all)
	}
	return present.GatherPlanText(e.out, e.caseDir, all, e.view(nil))
}

// gather does it, once or again and again.
func (g *gatherOptions) gather(e *env, listed, targets []target.Target) error {
	// What main does on Ctrl-C would end the program before the case has what is done.
	signal.Reset(os.Interrupt)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, stop) // a second one ends the program at once
	f, close, err := g.fetcher(e, listed)
	if err != nil {
		return err
	}
	defer close()
	if g.watch == 0 {
		return g.round(ctx, e, f, targets, e.caseDir)
	}
	bad := false
	for n := 1; ; n++ {
		began := time.Now()
		dir := filepath.Join(e.caseDir, began.UTC().Format("20060102T150405Z"))
		switch err := g.round(ctx, e, f, targets, dir); {
		case errors.Is(err, errBadNews):
			bad = true
		case err != nil:
			return err
		}
		if n == g.rounds || ctx.Err() != nil {
			break
		}
		select {
		case <-time.After(time.Until(began.Add(g.watch))):
		case <-ctx.Done():
		}
		if ctx.Err() != nil {
			break
		}
	}
	if bad {
		return errBadNews
	}
	return nil
}

// round gathers once into a folder and tells what became of it.
func (g *gatherOptions) round(
	ctx context.Context, e *env, f *fetch.Fetcher, targets []target.Target, dir string,
) error {
	show := newStatus(e.err, targets)
	outcomes := gather.Run(ctx, targets, gather.Options{
		Case: dir, AtOnce: g.atOnce, Pause: 2 * time.Second, Fetch: f.Device, Tell: show.tell, Now: time.Now,
	})
	show.done()
	var err error
	if e.as == "json" {
		err = present.GatherJSON(e.out, dir, outcomes)
	} else {
		err = present.GatherText(e.out, dir, outcomes, e.view(nil))
	}
	for _, o := range outcomes {
		if err == nil && (o.State != gather.Done || o.NoRoutes) {
			err = errBadNews
		}
	}
	return err
}

// fetcher makes what asks devices, with the secrets and keys that the command line names.
func (g *gatherOptions) fetcher(e *env, listed []target.Target) (*fetch.Fetcher, func(), error) {
	store := &secrets.Store{}
	var yes func(string) bool
	if q := newQuestions(e.err); q != nil {
		store.Ask, yes = q.secret, q.yes
	}
	if g.secrets != "" {
		if err := store.ReadFile(g.secrets); err != nil {
			return nil, nil, err
		}
	}
	if g.secretsFrom >= 0 {
		if err := readDescriptor(store, g.secretsFrom); err != nil {
			return nil, nil, err
		}
	}
	files := reach.UsualHostKeys()
	if g.known != "" {
		files = []string{g.known}
	}
	hosts, err := reach.OpenHostKeys(yes, files...)
	if err != nil {
		return nil, nil, err
	}
	d := &reach.Dialer{
		Hosts: hosts, Secrets: store, Agent: reach.Agent(), Keys: reach.UsualKeys(), Connect: g.connect, Old: g.old,
		PerJump: g.perJump,
		Listed: func(name string) (target.Target, bool) {
			for _, t := range listed {
				if strings.EqualFold(t.Name, name) {
					if t.Key == "" {
						t.Key = g.key
					}
					return t, true
				}
			}
			return target.Target{}, false
		},
	}
	limits := terminal.Limits{First: g.silence, Silence: g.silence, Longest: g.longest}
	return &fetch.Fetcher{Dialer: d, Secrets: store, Limits: limits, Moved: capture.Moved,
		Routes: capture.CountRoutes}, d.Close, nil
}

// readDescriptor reads secrets from a descriptor that was open when the program began.
func readDescriptor(store *secrets.Store, n int) error {
	if n <= 2 && n != 0 {
		return usagef("-secrets-fd takes the number of a descriptor to read from, not %d", n)
	}
	f := os.NewFile(uintptr(n), fmt.Sprintf("descriptor %d", n))
	if f == nil {
		return usagef("-secrets-fd: there is no descriptor %d", n)
	}
	defer f.Close()
	return store.Read(f.Name(), io.Reader(f))
}
