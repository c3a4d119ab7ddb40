// Package icc reads colour profiles of the kind that pictures of screens carry: three
// primaries and a curve for each channel. With one, the colours of a picture can be given in
// sRGB.
//
// Source: ICC.1 (the profile format; tags rXYZ, gXYZ, bXYZ, rTRC, gTRC, bTRC; types XYZ,
// curv and para) and IEC 61966-2-1 (sRGB).
package icc

import (
	"encoding/binary"
	"errors"
	"image"
	"math"

	"regola.example/regola/internal/core/format"
)

// ErrKind says that a profile is of another kind: for print, for gray, or with tables in the
// place of primaries.
var ErrKind = errors.New("the colour profile is of a kind that is not converted")

// maxCurve bounds the points of a curve.
const maxCurve = 1 << 16

// Profile is the colours of a device. Values of channels are from 0 to 1.
type Profile struct {
	toXYZ  [3][3]float64 // columns are red, green, blue
	curves [3]func(float64) float64
}

// Parse reads a profile.
func Parse(data []byte) (*Profile, error) {
	if len(data) < 132 || string(data[36:40]) != "acsp" {
		return nil, format.Damagedf(0, "this is no colour profile")
	}
	if string(data[16:20]) != "RGB " || string(data[20:24]) != "XYZ " {
		return nil, ErrKind
	}
	tags := map[string][]byte{}
	n := binary.BigEndian.Uint32(data[128:])
	if n > 200 {
		return nil, format.Damagedf(128, "a colour profile with %d tags", n)
	}
	for i := range int(n) {
		at := 132 + 12*i
		if at+12 > len(data) {
			return nil, format.Damagedf(at, "the table of the colour profile is cut off")
		}
		from, size := int64(binary.BigEndian.Uint32(data[at+4:])), int64(binary.BigEndian.Uint32(data[at+8:]))
		if from+size > int64(len(data)) {
			return nil, format.Damagedf(at, "a tag of the colour profile lies outside it")
		}
		tags[string(data[at:at+4])] = data[from : from+size]
	}
	if tags["A2B0"] != nil && tags["rXYZ"] == nil {
		return nil, ErrKind
	}
	p := &Profile{}
	for c, name := range []string{"r", "g", "b"} {
		xyz := tags[name+"XYZ"]
		if len(xyz) < 20 || string(xyz[:4]) != "XYZ " {
			return nil, ErrKind
		}
		for row := range 3 {
			p.toXYZ[row][c] = fixed(xyz[8+4*row:])
		}
		var err error
		if p.curves[c], err = curve(tags[name+"TRC"]); err != nil {
			return nil, err
		}
	}
	return p, nil
}

// fixed is a number of 16 bits before the point and 16 behind it.
func fixed(b []byte) float64 { return float64(int32(binary.BigEndian.Uint32(b))) / 65536 }

// curve reads how a channel's values become light.
func curve(b []byte) (func(float64) float64, error) {
	switch {
	case len(b) >= 12 && string(b[:4]) == "curv":
		n := binary.BigEndian.Uint32(b[8:])
		switch {
		case n == 0:
			return func(v float64) float64 { return v }, nil
		case n > maxCurve || 12+2*int(n) > len(b):
			return nil, format.Damagedf(8, "a curve of %d points in the colour profile", n)
		case n == 1:
			g := float64(binary.BigEndian.Uint16(b[12:])) / 256
			return func(v float64) float64 { return math.Pow(v, g) }, nil
		}
		points := make([]float64, n)
		for i := range points {
			points[i] = float64(binary.BigEndian.Uint16(b[12+2*i:])) / 65535
		}
		return func(v float64) float64 {
			at := v * float64(len(points)-1)
			i := min(int(at), len(points)-2)
			return points[i] + (points[i+1]-points[i])*(at-float64(i))
		}, nil
	case len(b) >= 12 && string(b[:4]) == "para":
		kind := binary.BigEndian.Uint16(b[8:])
		count := map[uint16]int{0: 1, 1: 3, 2: 4, 3: 5, 4: 7}[kind]
		if count == 0 || 12+4*count > len(b) {
			return nil, format.Damagedf(8, "a curve of the kind %d in the colour profile", kind)
		}
		var v [7]float64
		for i := range count {
			v[i] = fixed(b[12+4*i:])
		}
		g, a, bb, c, d, e, f := v[0], v[1], v[2], v[3], v[4], v[5], v[6]
		switch kind {
		case 0:
			a, bb, d = 1, 0, 0
		case 1, 2: // below -b/a nothing but c of kind 2
			e, f, d = c, c, math.Inf(1)
			if a != 0 {
				d = -bb / a
			}
			if kind == 1 {
				e, f = 0, 0
			}
			c = 0
		}
		return func(x float64) float64 {
			if x >= d {
				return math.Pow(max(0, a*x+bb), g) + e
			}
			return c*x + f
		}, nil
	}
	return nil, ErrKind
}

// toRGB gives light in XYZ under the profile connection space's white (D50) in linear sRGB.
var toRGB = [3][3]float64{
	{3.1338561, -1.6168667, -0.4906146},
	{-0.9787684, 1.9161415, 0.0334540},
	{0.0719453, -0.2289914, 1.4052427},
}

// gamma gives light as a value of sRGB.
func gamma(v float64) float64 {
	switch {
	case v <= 0:
		return 0
	case v >= 1:
		return 1
	case v <= 0.0031308:
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

// Convert gives a picture's colours in sRGB, in place. What sRGB cannot show becomes the
// nearest that it can, channel by channel.
func (p *Profile) Convert(m *image.NRGBA) {
	var m3 [3][3]float64
	for i := range 3 {
		for j := range 3 {
			for k := range 3 {
				m3[i][j] += toRGB[i][k] * p.toXYZ[k][j]
			}
		}
	}
	var light [3][256]float64
	for c := range 3 {
		for v := range 256 {
			if l := p.curves[c](float64(v) / 255); l >= -1 && l <= 2 { // a broken curve has no light, or too much
				light[c][v] = l
			}
		}
	}
	const fine = 1 << 12
	var value [fine + 1]uint8
	for i := range value {
		value[i] = uint8(gamma(float64(i)/fine)*255 + 0.5)
	}
	var last [3]uint8
	var is [3]uint8
	first := true
	for i := 0; i+4 <= len(m.Pix); i += 4 {
		now := [3]uint8(m.Pix[i : i+3])
		if first || now != last {
			r, g, b := light[0][now[0]], light[1][now[1]], light[2][now[2]]
			for c := range 3 {
				v := m3[c][0]*r + m3[c][1]*g + m3[c][2]*b
				is[c] = value[int(max(0, min(1, v))*fine+0.5)]
			}
			last, first = now, false
		}
		copy(m.Pix[i:i+3], is[:])
	}
}

// IsSRGB tells whether the profile's colours are those of sRGB, but for a step of a channel.
func (p *Profile) IsSRGB() bool {
	m := image.NewNRGBA(image.Rect(0, 0, 6*6*6, 1))
	for i := range 6 * 6 * 6 {
		copy(m.Pix[4*i:], []uint8{uint8(i % 6 * 51), uint8(i / 6 % 6 * 51), uint8(i / 36 * 51), 255})
	}
	was := append([]uint8(nil), m.Pix...)
	p.Convert(m)
	for i := range was {
		if d := int(was[i]) - int(m.Pix[i]); d > 2 || d < -2 {
			return false
		}
	}
	return true
}
