package store

import (
	"errors"

	"gorm.io/gorm"
)

// ErrRemoved says that what was being read is there no longer.
var ErrRemoved = errors.New("it was removed while it was read")

// pageSize is how many records are read in one go.
const pageSize = 8

// EachPart reads records in the order of a column of whole numbers from 0 on, some at a time, so that
// no connection is held while f is at work: whoever takes a stream may be slow. query makes a query
// anew; key is the value of the column.
func EachPart[T any](query func() *gorm.DB, column string, key func(*T) int, f func(*T) error) error {
	var count int64
	if err := query().Model(new(T)).Count(&count).Error; err != nil {
		return err
	}
	for after := -1; ; {
		var page []T
		if err := query().Where(column+" > ?", after).Order(column).Limit(pageSize).Find(&page).Error; err != nil {
			return err
		}
		for i := range page {
			if err := f(&page[i]); err != nil {
				return err
			}
			after = key(&page[i])
			count--
		}
		if len(page) < pageSize && count > 0 {
			return ErrRemoved
		}
		if len(page) < pageSize {
			return nil
		}
	}
}

// EachResult reads a bake-off's results, window by window and shard by shard, of the contenders given
// or of all where none are, without holding a connection while f is at work.
func EachResult(query func() *gorm.DB, columns []string, f func(*Result) error) error {
	var places []struct{ Win, Shard int }
	if err := query().Model(&Result{}).Distinct("win", "shard").Order("win, shard").Scan(&places).Error; err != nil {
		return err
	}
	for _, p := range places {
		var list []Result
		if err := query().Where("win = ? AND shard = ?", p.Win, p.Shard).Order("contender").Select(columns).Find(&list).Error; err != nil {
			return err
		}
		if len(list) == 0 {
			return ErrRemoved
		}
		for i := range list {
			if err := f(&list[i]); err != nil {
				return err
			}
		}
	}
	return nil
}
