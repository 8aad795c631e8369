package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"oskel/e2e/browser"
	"oskel/internal/demo"
)

// Whatever a page offers as a file is one: each address is asked for as it stands there.
func TestFilesThatPagesOffer(t *testing.T) {
	t.Parallel()
	s := demoService(t)
	p := screen(t, s, 1280, 800)
	do(t, p.SignIn("tor", demo.Password))
	for path, forms := range map[string]int{
		"/desk/outcomes?by=desk&rule=behind-target": 4, "/desk/backlog?by=person": 4, "/exceptions?period=2026-10&grade=act": 4,
		"/exceptions/grid?period=2026-10&kind=rep":                    4,
		"/figures?period=2026-10&measures=revenue,margin_rate&by=rep": 4, "/people/audit?person=ines": 1,
	} {
		do(t, p.Go(path))
		if forms > 1 {
			do(t, p.ClickIn("main button, main [aria-haspopup]", "Export"))
		}
		do(t, p.Until("document.querySelectorAll('a[download]').length >= 1"))
		answers, err := browser.Value[[]string](p, `Promise.all([...document.querySelectorAll('a[download]')].map(async (a) => {
			const r = await fetch(a.href)
			const text = await r.text()
			return r.status === 200 && text ? '' : a.href + ': ' + text
		}))`)
		require.NoError(t, err)
		assert.Len(t, answers, forms, path)
		for _, a := range answers {
			assert.Empty(t, a, path)
		}
	}
}
