package cli

import (
	"os"
	"path/filepath"
	"sync"

	"zarvek/internal/cache"
)

// keptReadings is where what was read of large captures is kept between commands, nil where there is no such folder.
var keptReadings = sync.OnceValue(func() *cache.Store {
	dir, err := os.UserCacheDir()
	if err != nil {
		return nil
	}
	return cache.ForProgram(filepath.Join(dir, "zarvek"), cache.DefaultLimit)
})

// cache returns the store for the case, nil for none: never one that lies in the case.
func (e *env) cache() *cache.Store {
	if e.noCache {
		return nil
	}
	store := keptReadings()
	if store == nil || store.Within(e.caseDir) {
		return nil
	}
	return store
}
