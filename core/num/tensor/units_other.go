//go:build !amd64

package tensor

// available lists the kernels that this machine can run: none but plain Go.
func available() []kernels { return nil }
