package e2e

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The rooms keep their order: core imports nothing of internal and does no
// I/O; only cmd and the composition above stand on httpapi, cli and app; the
// command line knows the service only through its client.
func TestRoomsStandInOrder(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "oskel/...").Output()
	require.NoError(t, err)
	rooms := 0
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		fields := strings.Fields(line)
		room, imports := fields[0], fields[1:]
		rooms++
		for _, i := range imports {
			if strings.HasPrefix(room, "oskel/core/") {
				assert.False(t, strings.HasPrefix(i, "oskel/internal"), "%s imports %s", room, i)
				assert.NotContains(t, []string{"os", "net", "net/http", "io/fs", "database/sql", "math/rand", "math/rand/v2", "log", "log/slog"}, i,
					"%s imports %s", room, i)
			}
			switch i {
			case "oskel/internal/cli":
				assert.Equal(t, "oskel/cmd/oskel", room)
			case "oskel/internal/app":
				assert.Contains(t, []string{"oskel/internal/cli", "oskel/bench", "oskel/load"}, room,
					"the serve command is the only way in; the bench times what it serves")
			case "oskel/internal/trial":
				assert.Fail(t, "only tests import it", room)
			case "oskel/internal/httpapi":
				assert.Equal(t, "oskel/internal/app", room)
			}
			if room == "oskel/internal/cli" && strings.HasPrefix(i, "oskel/internal/") {
				assert.Contains(t, []string{"oskel/internal/app", "oskel/internal/backup", "oskel/internal/pgserver", "oskel/internal/client",
					"oskel/internal/demo", "oskel/internal/sheet"}, i)
			}
			if strings.HasPrefix(i, "github.com/jackc/pgx") {
				assert.Contains(t, []string{"oskel/internal/store", "oskel/internal/pgserver", "oskel/internal/jobs", "oskel/internal/trial", "oskel/bench",
					"oskel/load"}, room, "SQL belongs to the store; the queue of jobs and the bench bring their own")
			}
		}
	}
	assert.Greater(t, rooms, 20)
}
