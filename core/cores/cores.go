// Package cores does pieces of work side by side.
package cores

import (
	"runtime"
	"sync"
)

// Do does pieces of work that do not depend on one another, as many at a time as
// there are cores, in whatever order, and returns when all are done. If one panics,
// Do does, with the first such value, once the others have ended; the core that it
// happened on begins no further piece.
func Do(work ...func()) {
	next := make(chan func(), len(work))
	for _, w := range work {
		next <- w
	}
	close(next)
	var all sync.WaitGroup
	var once sync.Once
	var fault any
	for range min(runtime.GOMAXPROCS(0), len(work)) {
		all.Go(func() {
			defer func() {
				if what := recover(); what != nil {
					once.Do(func() { fault = what })
				}
			}()
			for w := range next {
				w()
			}
		})
	}
	all.Wait()
	if fault != nil {
		panic(fault)
	}
}
