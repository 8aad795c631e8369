package httpapi

import (
	"bufio"
	"fmt"
	"os"
	"strings"
	"syscall"
)

// memoryThereIs is how many bytes the machine, the control group or the process's own
// limit leaves, whichever is least; 4 GiB where none can be read.
func memoryThereIs() int64 {
	const unknown = 4 << 30
	least := int64(0)
	take := func(n int64) {
		if n > 0 && (least == 0 || n < least) {
			least = n
		}
	}
	if f, err := os.Open("/proc/meminfo"); err == nil {
		defer f.Close()
		for s := bufio.NewScanner(f); s.Scan(); {
			var kB int64
			if _, err := fmt.Sscanf(s.Text(), "MemTotal: %d kB", &kB); err == nil {
				take(kB << 10)
			}
		}
	}
	if text, err := os.ReadFile("/sys/fs/cgroup/memory.max"); err == nil {
		var n int64
		if _, err := fmt.Sscan(strings.TrimSpace(string(text)), &n); err == nil {
			take(n)
		}
	}
	var own syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_AS, &own); err == nil && own.Cur < 1<<62 {
		take(int64(own.Cur))
	}
	if least == 0 {
		return unknown
	}
	return least
}
