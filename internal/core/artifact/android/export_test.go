package android

// WebP is for the tests.
var WebP = webp
