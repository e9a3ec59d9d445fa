package service

import (
	"reflect"
	"strings"
)

// fillLists puts an empty list where the contract promises one and there is none: null is no list. What
// may be left out is left alone, and so is what lies behind pointers and in lists, which others may
// read at the same time. v is settable.
func fillLists(v reflect.Value) {
	if v.Kind() != reflect.Struct {
		return
	}
	for i := range v.NumField() {
		field := v.Type().Field(i)
		if !field.IsExported() {
			continue
		}
		own, tag := v.Field(i), field.Tag.Get("json")
		if own.Kind() == reflect.Slice && own.IsNil() && !strings.Contains(tag, "omit") && tag != "-" {
			own.Set(reflect.MakeSlice(own.Type(), 0, 0))
		}
		fillLists(own)
	}
}
