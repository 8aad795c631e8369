package cli

import (
	"io"
	"os"
	"path/filepath"
)

// writeFile writes a file whole: until it is, a file that was there stays as it
// was.
func writeFile(path string, write func(io.Writer) error) (err error) {
	f, err := os.CreateTemp(filepath.Dir(path), ".oskel-")
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			f.Close()           //nolint:errcheck // the first error is told
			os.Remove(f.Name()) //nolint:errcheck // the first error is told
		}
	}()
	if err = write(f); err != nil {
		return err
	}
	if err = f.Chmod(0o644); err != nil {
		return err
	}
	if err = f.Close(); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}
