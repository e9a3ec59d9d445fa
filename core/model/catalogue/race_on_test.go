//go:build race

package catalogue_test

// racing says that the race detector looks on: it makes everything ten times as slow, and has seen enough
// where tests only repeat themselves for the sake of their numbers.
const racing = true
