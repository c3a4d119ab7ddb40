package facts

import "regola.example/regola/internal/core/fact"

// Android is what was read from an APK or an app bundle, by topic.
type Android struct {
	fact.Mark   `json:"-"`
	Manifest    Manifest   `json:"manifest"`
	Resources   Resources  `json:"resources"`
	Icon        *Icon      `json:"icon"`
	Code        *Code      `json:"code"`
	Native      Native     `json:"native"`
	Bundle      AppBundle  `json:"bundle"`
	Splits      []*Split   `json:"splits"` // that were given together with this base
	Signing     *Signing   `json:"signing"`
	Archive     *Archive   `json:"archive"`
	Sizes       Sizes      `json:"sizes"`
	PrivateKeys []*KeyFile `json:"private_keys"` // files that hold a private key in PEM form
}

// KeyFile is a file with a private key in it.
type KeyFile struct {
	fact.Mark `json:"-"`
	Path      string `json:"path"`
}

// Split is one split APK that was given together with its base.
type Split struct {
	fact.Mark `json:"-"`
	Name      string   `json:"name"`
	File      string   `json:"file"`
	Faults    []string `json:"faults"` // in what it does not fit the base
}
