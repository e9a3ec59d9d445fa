package service

import (
	"context"

	"paperkettle/store"
)

// Examine reads a whole data folder and names what is wrong with it.
func Examine(ctx context.Context, data string) ([]string, error) { return store.Examine(ctx, data) }

// Backup copies a data folder, also while a service uses it, into a file.
func Backup(ctx context.Context, data, file string) error { return store.Backup(ctx, data, file) }

// Restore puts a backup into a data folder; what was there is kept under the name that it gives.
func Restore(ctx context.Context, file, data string, replace bool) (kept string, err error) {
	return store.Restore(ctx, file, data, replace)
}
