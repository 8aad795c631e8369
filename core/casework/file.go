package casework

import (
	"bytes"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// The bounds of what is attached to a case.
const (
	LargestFile = 10 << 20 // bytes
	MostFiles   = 20
	longestName = 200 // bytes
)

// fileType is what a name's ending says, and how such a file begins.
type fileType struct {
	media  string
	begins []string // one of these; none is text
}

var (
	zipped    = []string{"PK\x03\x04"}
	fileTypes = map[string]fileType{
		".pdf":  {"application/pdf", []string{"%PDF-"}},
		".png":  {"image/png", []string{"\x89PNG\r\n\x1a\n"}},
		".jpg":  {"image/jpeg", []string{"\xff\xd8\xff"}},
		".jpeg": {"image/jpeg", []string{"\xff\xd8\xff"}},
		".txt":  {"text/plain", nil},
		".csv":  {"text/csv", nil},
		".eml":  {"message/rfc822", nil},
		".xlsx": {"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", zipped},
		".docx": {"application/vnd.openxmlformats-officedocument.wordprocessingml.document", zipped},
		".pptx": {"application/vnd.openxmlformats-officedocument.presentationml.presentation", zipped},
		".ods":  {"application/vnd.oasis.opendocument.spreadsheet", zipped},
		".odt":  {"application/vnd.oasis.opendocument.text", zipped},
	}
)

// FileEndings are those of the files that may be attached, in order.
func FileEndings() []string { return slices.Sorted(maps.Keys(fileTypes)) }

// CheckFileName says under which name a file is kept, which is the last part of a path,
// and of what media type it is; or why it may not be attached.
func CheckFileName(name string) (kept, media string, err error) {
	kept = strings.TrimSpace(path.Base(strings.ReplaceAll(name, `\`, "/")))
	switch {
	case kept == "." || kept == "/" || kept == "":
		return "", "", refuse("the file has no name")
	case len(kept) > longestName:
		return "", "", refuse("the name of a file has %d bytes at most", longestName)
	case !utf8.ValidString(kept) || strings.ContainsFunc(kept, func(r rune) bool { return !unicode.IsPrint(r) }):
		return "", "", refuse("the name of the file has characters that cannot be printed")
	}
	ending := strings.ToLower(path.Ext(kept))
	t, known := fileTypes[ending]
	if !known {
		return "", "", refuse("%q cannot be attached; allowed files end in %s", kept, strings.Join(FileEndings(), ", "))
	}
	return kept, t.media, nil
}

// CheckFile is CheckFileName, and looks whether the content is what the name says.
func CheckFile(name string, content []byte) (kept, media string, err error) {
	if kept, media, err = CheckFileName(name); err != nil {
		return "", "", err
	}
	t := fileTypes[strings.ToLower(path.Ext(kept))]
	is := slices.ContainsFunc(t.begins, func(b string) bool { return bytes.HasPrefix(content, []byte(b)) })
	if len(t.begins) == 0 {
		is = bytes.IndexByte(content, 0) < 0
	}
	switch {
	case len(content) == 0:
		return "", "", refuse("%q is empty", kept)
	case len(content) > LargestFile:
		return "", "", refuse("%q has %s; a file has %s at most", kept, size(len(content)), size(LargestFile))
	case !is:
		return "", "", refuse("the content of %q does not match its name", kept)
	}
	return kept, media, nil
}

func size(bytes int) string {
	if bytes < 1<<20 {
		return fmt.Sprintf("%d kB", (bytes+1023)>>10)
	}
	return fmt.Sprintf("%.1f MB", float64(bytes)/(1<<20))
}
