// The command oskel is the service and its command line in one.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"oskel/internal/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := cli.Main(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
