package codesign

import (
	"encoding/asn1"
	"errors"
	"fmt"

	"regola.example/regola/internal/core/format"
	"regola.example/regola/internal/core/format/plist"
)

// maxDepth bounds how deep entitlements may nest.
const maxDepth = 16

// Tags of the binary form of entitlements beside the universal ones.
const (
	classApplication = 1
	classContext     = 2
	tagDict          = 16 // of either class: the whole, and a dictionary
)

// parseDER reads the binary form of entitlements: a version, and a dictionary
// of pairs. Signing tools of before 2021 wrote the dictionary alone, as a set.
func parseDER(data []byte) (*plist.Value, error) {
	v, err := decodeDER(data)
	var structural asn1.StructuralError
	var syntax asn1.SyntaxError
	if errors.As(err, &structural) || errors.As(err, &syntax) {
		err = format.Damagedf(0, "it does not follow DER")
	}
	return v, err
}

func decodeDER(data []byte) (*plist.Value, error) {
	var whole asn1.RawValue
	if _, err := asn1.Unmarshal(data, &whole); err != nil {
		return nil, err
	}
	if whole.Class == 0 && whole.Tag == asn1.TagSet { // the form of before 2021
		return derValue(whole, 0)
	}
	if whole.Class != classApplication || whole.Tag != tagDict {
		return nil, format.Unsupportedf(0, "it begins with tag %d of class %d", whole.Tag, whole.Class)
	}
	var version int
	rest, err := asn1.Unmarshal(whole.Bytes, &version)
	if err != nil {
		return nil, fmt.Errorf("the version: %w", err)
	}
	var dict asn1.RawValue
	if _, err := asn1.Unmarshal(rest, &dict); err != nil {
		return nil, err
	}
	return derValue(dict, 0)
}

func derValue(raw asn1.RawValue, depth int) (*plist.Value, error) {
	if depth > maxDepth {
		return nil, format.TooMuchf(0, "it is nested too deep")
	}
	switch {
	case raw.Class == classContext && raw.Tag == tagDict, raw.Class == 0 && raw.Tag == asn1.TagSet:
		v := &plist.Value{Kind: plist.Dict}
		for rest := raw.Bytes; len(rest) > 0; {
			var pair asn1.RawValue
			var err error
			if rest, err = asn1.Unmarshal(rest, &pair); err != nil {
				return nil, err
			}
			var key string
			tail, err := asn1.UnmarshalWithParams(pair.Bytes, &key, "utf8")
			if err != nil {
				return nil, fmt.Errorf("a key: %w", err)
			}
			var item asn1.RawValue
			if _, err := asn1.Unmarshal(tail, &item); err != nil {
				return nil, fmt.Errorf("%s: %w", key, err)
			}
			x, err := derValue(item, depth+1)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", key, err)
			}
			v.Put(key, x)
		}
		return v, nil
	case raw.Class != 0:
	case raw.Tag == asn1.TagSequence:
		v := &plist.Value{Kind: plist.Array}
		for rest := raw.Bytes; len(rest) > 0; {
			var item asn1.RawValue
			var err error
			if rest, err = asn1.Unmarshal(rest, &item); err != nil {
				return nil, err
			}
			x, err := derValue(item, depth+1)
			if err != nil {
				return nil, err
			}
			v.Items = append(v.Items, x)
		}
		return v, nil
	case raw.Tag == asn1.TagUTF8String:
		return &plist.Value{Kind: plist.String, Str: string(raw.Bytes)}, nil
	case raw.Tag == asn1.TagBoolean && len(raw.Bytes) == 1:
		return &plist.Value{Kind: plist.Boolean, Bool: raw.Bytes[0] != 0}, nil
	case raw.Tag == asn1.TagInteger:
		var n int64
		_, err := asn1.Unmarshal(raw.FullBytes, &n)
		return &plist.Value{Kind: plist.Integer, Int: n}, err
	case raw.Tag == asn1.TagOctetString:
		return &plist.Value{Kind: plist.Data, Bytes: raw.Bytes}, nil
	}
	return nil, format.Unsupportedf(0, "a value has tag %d of class %d, which is not known", raw.Tag, raw.Class)
}
