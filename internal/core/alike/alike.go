// Package alike finds what several apps have in common that a store takes for one app sent
// several times: an icon, a name, a description, screenshots. It compares apps of different
// ids with one another; releases of one app are the same on purpose, unless they have the id
// in common and no name, which is an id that was copied.
package alike

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
	"sync"
	"unicode"

	"regola.example/regola/internal/core/imagehash"
)

// Kinds of what apps have in common.
const (
	ID          = "id"
	Icon        = "icon"
	Name        = "name"
	Description = "description"
	Screenshots = "screenshots"
)

// Kinds lists them, the gravest first.
var Kinds = []string{ID, Icon, Description, Screenshots, Name}

// App is what is compared of one dossier for one store.
type App struct {
	Dossier     string // how the call names it
	Store       string // the store's id
	ID          string
	Icons       []string          // fingerprints of the store icon
	Names       map[string]string // by language
	Description map[string]string
	Screenshots []string // what tells a picture from others: its kind, size and bytes

	digests []string // of the descriptions, whose texts are not kept
}

// Group is several apps that have something in common.
type Group struct {
	Kind     string   `json:"kind"`
	Store    string   `json:"store"`
	What     string   `json:"what"` // the name or id; empty for pictures and long texts
	Dossiers []string `json:"dossiers"`
}

// Set gathers apps. It is safe for use by several goroutines.
type Set struct {
	mu   sync.Mutex
	apps []*App
}

// Add adds an app. Of its descriptions only digests are kept, since a call may have thousands
// of apps.
func (s *Set) Add(a *App) {
	for _, text := range a.Description {
		if plain := plainText(text); len(plain) >= leastDescription {
			sum := sha256.Sum256([]byte(plain))
			a.digests = append(a.digests, hex.EncodeToString(sum[:8]))
		}
	}
	a.Description = nil
	s.mu.Lock()
	defer s.mu.Unlock()
	s.apps = append(s.apps, a)
}

// leastDescription is from how many characters on a description is one's own.
const leastDescription = 80

// leastScreenshots is how many screenshots two apps share before it is worth a word.
const leastScreenshots = 2

// Groups lists what apps of different ids have in common, the gravest first. An id that several dossiers have is listed
// when two of them have no name in common.
func (s *Set) Groups() (out []*Group) {
	s.mu.Lock()
	defer s.mu.Unlock()
	slices.SortFunc(s.apps, func(a, b *App) int { return cmp.Or(cmp.Compare(a.Dossier, b.Dossier), cmp.Compare(a.Store, b.Store)) })
	var stores []string
	for _, a := range s.apps {
		if !slices.Contains(stores, a.Store) {
			stores = append(stores, a.Store)
		}
	}
	for _, store := range stores {
		var apps []*App
		for _, a := range s.apps {
			if a.Store == store {
				apps = append(apps, a)
			}
		}
		add := func(kind, what string, group []*App) {
			ids := map[string]bool{}
			g := &Group{Kind: kind, Store: store, What: what}
			for _, a := range group {
				ids[a.ID] = true
				if !slices.Contains(g.Dossiers, a.Dossier) {
					g.Dossiers = append(g.Dossiers, a.Dossier)
				}
			}
			if len(g.Dossiers) > 1 && (len(ids) > 1 || kind == ID && strangers(group)) {
				out = append(out, g)
			}
		}
		by := func(kind string, keys func(*App) map[string]string) {
			groups := map[string][]*App{}
			said := map[string]string{}
			for _, a := range apps {
				for key, what := range keys(a) {
					if !slices.Contains(groups[key], a) {
						groups[key] = append(groups[key], a)
					}
					if old, ok := said[key]; !ok || what < old {
						said[key] = what
					}
				}
			}
			order := make([]string, 0, len(groups))
			for key := range groups {
				order = append(order, key)
			}
			slices.Sort(order)
			for _, key := range order {
				add(kind, said[key], groups[key])
			}
		}
		by(ID, func(a *App) map[string]string {
			if a.ID == "" {
				return nil
			}
			return map[string]string{a.ID: a.ID}
		})
		for _, group := range icons(apps) {
			add(Icon, "", group)
		}
		by(Description, func(a *App) map[string]string {
			m := map[string]string{}
			for _, d := range a.digests {
				m[d] = ""
			}
			return m
		})
		by(Screenshots, func(a *App) map[string]string {
			m := map[string]string{}
			for i := 0; i+leastScreenshots <= len(a.Screenshots); i++ {
				m[strings.Join(a.Screenshots[i:i+leastScreenshots], "|")] = ""
			}
			return m
		})
		by(Name, func(a *App) map[string]string {
			m := map[string]string{}
			for _, name := range a.Names {
				if plain := plainText(name); plain != "" {
					m[plain] = name
				}
			}
			return m
		})
	}
	return merged(out)
}

// strangers tells whether two apps have names, and none in common.
func strangers(apps []*App) bool {
	names := make([]map[string]bool, 0, len(apps))
	for _, a := range apps {
		own := map[string]bool{}
		for _, n := range a.Names {
			own[plainText(n)] = true
		}
		delete(own, "")
		names = append(names, own)
	}
	for i, a := range names {
		for _, b := range names[i+1:] {
			if len(a) > 0 && len(b) > 0 && !shares(a, b) {
				return true
			}
		}
	}
	return false
}

func shares(a, b map[string]bool) bool {
	for n := range a {
		if b[n] {
			return true
		}
	}
	return false
}

// icons puts apps together that have the icon of the first of them.
func icons(apps []*App) (groups [][]*App) {
	taken := map[*App]bool{}
	for i, a := range apps {
		if taken[a] || len(a.Icons) == 0 {
			continue
		}
		group := []*App{a}
		for _, b := range apps[i+1:] {
			if taken[b] {
				continue
			}
			for _, x := range b.Icons {
				if imagehash.Same(a.Icons[0], x) {
					group, taken[b] = append(group, b), true
					break
				}
			}
		}
		groups = append(groups, group)
	}
	return groups
}

// merged drops groups that say less than another of their kind, and orders the rest.
func merged(groups []*Group) (out []*Group) {
	for i, g := range groups {
		if !slices.ContainsFunc(groups, func(o *Group) bool { return o != g && covers(o, g) && (!covers(g, o) || slices.Index(groups, o) < i) }) {
			out = append(out, g)
		}
	}
	slices.SortStableFunc(out, func(a, b *Group) int { return slices.Index(Kinds, a.Kind) - slices.Index(Kinds, b.Kind) })
	return out
}

// covers tells whether a says of all apps of b what b says of them.
func covers(a, b *Group) bool {
	return a.Kind == b.Kind && a.Store == b.Store && !slices.ContainsFunc(b.Dossiers, func(d string) bool { return !slices.Contains(a.Dossiers, d) })
}

// plainText is a text without what people change to make it look like another: case, marks,
// blanks and digits.
func plainText(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
}
