package cli

import (
	"context"
	"flag"
	"fmt"
	"runtime"
	"runtime/debug"
)

// Version is the version of Oskel that this is, or that is being made. CHANGELOG.md and
// console/package.json bear it too, which a test holds.
const Version = "0.1.0"

var versionCommand = command{
	name: "version", short: "print the version", local: true,
	example: "oskel version",
	setup: func(_ *flag.FlagSet, e *env) func(context.Context, []string) error {
		return func(context.Context, []string) error {
			built := ""
			if info, ok := debug.ReadBuildInfo(); ok {
				for _, s := range info.Settings {
					if s.Key == "vcs.revision" {
						built = ", revision " + s.Value[:min(12, len(s.Value))]
					}
				}
			}
			_, err := fmt.Fprintf(e.out, "oskel %s (%s/%s, %s%s)\n", Version, runtime.GOOS, runtime.GOARCH, runtime.Version(), built)
			return err
		}
	},
}
