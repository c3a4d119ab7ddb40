package facts

import "regola.example/regola/internal/core/fact"

// Android is what was read from an APK or an app bundle, by topic.
type Android struct {
	fact.Mark   `json:"-"`
	Manifest    Manifest    `json:"manifest"`
	Resources   Resources   `json:"resources"`
	Icon        *Icon       `json:"icon"`
	Code        *Code       `json:"code"`
	Native      Native      `json:"native"`
	Bundle      AppBundle   `json:"bundle"`
	Splits      []*Split    `json:"splits"` // that were given together with this base
	Signing     *Signing    `json:"signing"`
	Archive     *Archive    `json:"archive"`
	Sizes       Sizes       `json:"sizes"`
	PrivateKeys []*KeyFile  `json:"private_keys"`         // files that hold a private key in PEM form
	TextFiles   []*TextFile `json:"-" alias:"text_files"` // plain files of the app with addresses, paths or what looks like a secret
}

// TextFile is a plain file, such as settings, a page or a script, with those of its texts
// that are addresses or paths, or have the form of a secret.
type TextFile struct {
	fact.Mark `json:"-"`
	Path      string   `json:"path"`
	Texts     []string `json:"texts"` // sorted, each once
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
