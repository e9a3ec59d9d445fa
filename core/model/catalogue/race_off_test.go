//go:build !race

package catalogue_test

const racing = false
