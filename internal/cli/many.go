package cli

import (
	"cmp"
	"encoding/csv"
	"errors"
	"io"
	"os"
	"runtime"
	"strings"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"zarvek/internal/core/forward"
	"zarvek/internal/core/network"
	"zarvek/internal/notes"
	"zarvek/internal/present"
	"zarvek/internal/source"
)

// pair is one line of the file of -many.
type pair struct {
	line     int
	from, to string
	flow     network.Flow
	err      error
}

// many answers thousands of pairs with one line each.
func (e *env) many(l *loaded, file string, flow network.Flow, assume, hops bool) error {
	var in io.Reader = os.Stdin
	if file != "-" {
		f, err := source.OpenStream(file)
		if err != nil {
			var p *os.PathError
			if errors.As(err, &p) {
				err = p.Err
			}
			return usagef("%s: cannot be read: %v", file, err)
		}
		defer f.Close()
		in = f
	}
	pairs, err := readPairs(io.LimitReader(in, source.MaxRecord), file, flow)
	if err != nil {
		return err
	}
	out := make([]present.Answer, len(pairs))
	collectLess()
	walker, view := l.walking(assume), e.view(l)
	var bar progress
	var finished atomic.Int64
	const chunk = 256
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	for lo := 0; lo < len(pairs); lo += chunk {
		hi := min(lo+chunk, len(pairs))
		g.Go(func() error {
			for i := lo; i < hi; i++ {
				p := pairs[i]
				src, dst, err := l.ends(p.from, p.to)
				if err = cmp.Or(p.err, err); err != nil {
					out[i] = present.Answer{Line: p.line, Err: err}
					continue
				}
				rt := walker.TraceFlow(src, dst, p.flow)
				out[i] = view.Answered(p.line, &rt, l.Assumed(&rt))
				if hops {
					out[i].Trip = &rt
				}
			}
			bar.tell("tracing", finished.Add(int64(hi-lo)), int64(len(pairs)), 2000)
			return nil
		})
	}
	_ = g.Wait()
	bar.done()
	if e.as == "json" {
		err = present.ManyJSON(e.out, out, view)
	} else {
		err = present.ManyText(e.out, out, view)
	}
	if err != nil {
		return err
	}
	for _, a := range out {
		if a.Err != nil || a.Verdict != forward.TwoWay {
			return errBadNews
		}
	}
	return nil
}

// readPairs reads SOURCE,DESTINATION[,FLOW] lines. A first line of names, blank lines and lines behind # are passed
// over.
func readPairs(in io.Reader, file string, flow network.Flow) ([]pair, error) {
	r := csv.NewReader(in)
	r.FieldsPerRecord, r.TrimLeadingSpace, r.Comment = -1, true, '#'
	var out []pair
	for {
		rec, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			var bad *csv.ParseError
			if errors.As(err, &bad) {
				return nil, usagef(
					"%s:%d:%d: %v; a line is SOURCE,DESTINATION or SOURCE,DESTINATION,FLOW",
					file,
					bad.Line,
					bad.Column,
					bad.Err,
				)
			}
			return nil, usagef("%s: %v", file, err)
		}
		line, _ := r.FieldPos(0)
		if len(out) == 0 && len(rec) > 1 && strings.EqualFold(rec[0], "source") {
			continue
		}
		if len(rec) < 2 || len(rec) > 3 {
			return nil, usagef(
				"%s:%d: %d fields; a line is SOURCE,DESTINATION or SOURCE,DESTINATION,FLOW",
				file,
				line,
				len(rec),
			)
		}
		p := pair{line: line, from: strings.TrimSpace(rec[0]), to: strings.TrimSpace(rec[1]), flow: flow}
		if len(rec) == 3 && strings.TrimSpace(rec[2]) != "" {
			p.flow, p.err = notes.ParseFlow(strings.TrimSpace(rec[2]))
		}
		out = append(out, p)
	}
	if len(out) == 0 {
		return nil, usagef("%s: no pairs in it; a line is SOURCE,DESTINATION", file)
	}
	return out, nil
}
