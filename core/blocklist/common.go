package blocklist

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"io"
	"sync"
)

//go:generate go run ./make

//go:embed common.txt.gz
var packed []byte

// Common is a small list of well-known passwords, in small letters: words that
// people often take with the digits and years that they put behind them, rows
// of keys, and repeats. It was put together for this tool.
var Common = sync.OnceValue(func() Words {
	r, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		panic(err) // the list is part of the program; every test would show it
	}
	text, err := io.ReadAll(r)
	if err != nil {
		panic(err)
	}
	return NewWords(string(text))
})
