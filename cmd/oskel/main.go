// The command oskel is the service and its command line in one.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"
	"time"

	"oskel/internal/cli"
)

// grace is within what time the process ends once it is told to, whatever it is at.
const grace = 25 * time.Second

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, func() { time.AfterFunc(grace, func() { os.Exit(1) }) })
	code := cli.Main(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
