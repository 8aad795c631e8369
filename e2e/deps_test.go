package e2e
import (
 _ "github.com/chromedp/chromedp"
 _ "github.com/stretchr/testify/require"
)
