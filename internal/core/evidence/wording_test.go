package evidence_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"regola.example/regola/internal/core/facts"
	"regola.example/regola/rulebooks"
)

// TestWording runs the built-in patterns.
func TestWording(t *testing.T) {
	table, err := rulebooks.BuiltIn.Tables()
	require.NoError(t, err)
	for text, want := range map[string]string{
		"Camera access needed":                                         "not what for",
		"Camera permission is required.":                               "not what for",
		"This app needs access to your camera.":                        "asks",
		"Kiln.Log would like to use your camera":                       "asks",
		"Photographs pots. The app needs your camera, as said.":        "",
		"Terrafuoco would like to use your camera":                     "asks",
		"This app requires access to the photo library.":               "asks",
		"Allow access to the microphone":                               "asks",
		"For the kiln log":                                             "too short",
		"This app does not use the microphone.":                        "not used",
		"The microphone is requested by a third-party library.":        "library",
		"Advertisement would like to create a calendar event.":         "advertising",
		"The app will not work unless you allow the location.":         "presses",
		"Allow the location and earn 50 coins.":                        "reward",
		"相机":                                                           "too short",
		"写真を撮って焼成の記録に添えます":                                             "",
		"Photographs the pots before and after a firing.":              "",
		"Fotografa i pezzi prima e dopo la cottura.":                   "",
		"Terrafuoco uses your location to find kilns near you.":        "",
		"This app needs the camera to photograph pots for the log.":    "",
		"Liest während eines Brandes den Temperaturfühler im Ofen.":    "",
		"Allow access to the microphone for notes during a firing.":    "",
		"Your contacts are shown when you invite somebody to a firing": "",
	} {
		app := &facts.Bundle{Kind: "app", Info: facts.Info{Purposes: []*facts.Purpose{{Key: "NSCameraUsageDescription", Text: text}}}}
		e := of(&facts.IOS{Bundles: []*facts.Bundle{app}}, table)
		if want == "" {
			assert.Empty(t, e.Wording, text)
			continue
		}
		if assert.Len(t, e.Wording, 1, text) {
			assert.Contains(t, e.Wording[0].Why, want, text)
		}
	}
	good := "Photographs the pots before and after a firing."
	app := &facts.Bundle{Kind: "app", Info: facts.Info{Purposes: []*facts.Purpose{
		{Key: "NSCameraUsageDescription", Text: good, Locales: map[string]string{"it": "Serve", "de": good}},
		{Key: "NSMicrophoneUsageDescription", Text: "Records what you say about a pot."},
		{Key: "NSLocationWhenInUseUsageDescription", Text: "Finds the kilns near you on the map."},
		{Key: "NSLocationAlwaysAndWhenInUseUsageDescription", Text: "Finds the kilns near you on the map."},
		{Key: "NSContactsUsageDescription", Text: "Records what you say about a pot."},
	}}}
	got := map[string]string{}
	for _, w := range of(&facts.IOS{Bundles: []*facts.Bundle{app}}, table).Wording {
		got[w.Key+w.Locale] = w.Why
	}
	assert.Equal(t, map[string]string{
		"NSCameraUsageDescriptionit":   "it is too short to say what for",
		"NSMicrophoneUsageDescription": "it is the same as that of NSContactsUsageDescription",
		"NSContactsUsageDescription":   "it is the same as that of NSMicrophoneUsageDescription",
	}, got)
}
