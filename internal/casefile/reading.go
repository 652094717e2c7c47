package casefile

import (
	"crypto/sha256"
	"errors"
	"os"
	"sync/atomic"
	"time"

	"zarvek/internal/cache"
	"zarvek/internal/capture"
	"zarvek/internal/capture/layout"
	"zarvek/internal/source"
)

// reading reads captures, or takes what an earlier run made of them.
type reading struct {
	described []layout.Reader
	layouts   cache.Sum // of the files that describe layouts
	budget    *source.Budget
	store     func() *cache.Store
	least     int64       // see leastKept
	put       atomic.Bool // something was kept that was not there before
}

// leastKept is how large a capture must be, in bytes, for what was read of it to be kept: smaller ones are read anew in
// less time than it takes to tell.
const leastKept = 64 << 10

// leastReleased is how large a text must be, in bytes, for what was just kept of it to take the place of what was read:
// neither the text nor the routes stay in memory then.
const leastReleased = 4 << 20

// keptKind is the kind of the entries that hold readings.
const keptKind = "reading"

// read reads a unit, or takes what was kept of it. It returns its size in bytes as well.
func (r *reading) read(u *unit, number uint32) (*capture.Capture, int64, error) {
	c, size, err := r.readOrTake(u, number)
	if err == nil {
		c.NamedAfter(u.name)
	}
	return c, size, err
}

// readOrTake is read by the text alone.
func (r *reading) readOrTake(u *unit, number uint32) (*capture.Capture, int64, error) {
	if store := r.storeFor(u); store != nil {
		return r.readKept(store, u, number)
	}
	raw, err := u.read()
	if err != nil {
		return nil, 0, err
	}
	c, _, err := r.readBytes(u, raw, number)
	return c, int64(len(raw)), err
}

// storeFor returns where the reading of a unit is kept, nil for nowhere: small ones and what lies in archives.
func (r *reading) storeFor(u *unit) *cache.Store {
	if r.store == nil || u.bytes != nil {
		return nil
	}
	if info, err := os.Stat(u.path); err != nil || info.Size() < r.least {
		return nil
	}
	return r.store()
}

// readBytes reads a unit's bytes. It returns the text as well, which is another slice where they are compressed.
func (r *reading) readBytes(u *unit, raw []byte, number uint32) (*capture.Capture, []byte, error) {
	text, err := source.UnpackWithin(raw, r.budget)
	if errors.Is(err, source.ErrBudget) {
		return nil, nil, tooLarge(u.name)
	}
	if err != nil {
		return nil, nil, errorf("%s: %v", show(u.name), err)
	}
	c, err := capture.Read(u.name, text, number, r.described...)
	if err != nil {
		return nil, nil, errorf("%s: %v", show(u.name), err)
	}
	return c, text, nil
}

// readKept is read with a store.
func (r *reading) readKept(store *cache.Store, u *unit, number uint32) (*capture.Capture, int64, error) {
	looks, known := cache.LooksOf(u.path)
	tells := known && looks.Settled(time.Now()) // a change of the file from now on
	sum, raw, err := store.SumOf(u.path, u.read)
	if err != nil {
		return nil, 0, err
	}
	again := func() ([]byte, error) {
		raw, err := u.read()
		if err != nil {
			return nil, err
		}
		if now, ok := cache.LooksOf(u.path); (!tells || !ok || now != looks) && sha256.Sum256(raw) != sum {
			return nil, errChanged
		}
		return source.UnpackWithin(raw, source.NewBudget(maxUnpacked))
	}
	if packed := store.Get(keptKind, sum[:], r.layouts[:]); packed != nil {
		if c, err := capture.Unpack(packed, u.name, number, again); err == nil {
			return c, looks.Size, nil
		}
	}
	if raw == nil {
		if raw, err = u.read(); err != nil {
			return nil, 0, err
		}
		sum = sha256.Sum256(raw) // whatever it was a moment ago
	}
	c, text, err := r.readBytes(u, raw, number)
	if err != nil {
		return nil, 0, err
	}
	if pieces, err := c.Pack(text); err == nil && store.Put(pieces, keptKind, sum[:], r.layouts[:]) {
		r.put.Store(true)
		if packed := store.Get(keptKind, sum[:], r.layouts[:]); packed != nil && len(text) >= leastReleased {
			if kept, err := capture.Unpack(packed, u.name, number, again); err == nil {
				c = kept
			}
		}
	}
	return c, int64(len(raw)), nil
}

var errChanged = errors.New("the file has changed since it was read")

// done ends the reading of a case: what was kept must not grow for ever.
func (r *reading) done() {
	if r.put.Load() {
		r.store().Trim()
	}
}

// sumOfFiles sums up what the files hold.
func sumOfFiles(files []string) (cache.Sum, error) {
	h := sha256.New()
	for _, f := range files {
		text, err := source.ReadFile(f, source.MaxRecord)
		if err != nil {
			return cache.Sum{}, errorf("%s: cannot be read: %v", show(f), source.Cause(err))
		}
		one := sha256.Sum256(text)
		h.Write(one[:])
	}
	return cache.Sum(h.Sum(nil)), nil
}
