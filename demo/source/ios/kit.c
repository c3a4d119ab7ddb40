int kiln_heat(void) { return 1060; }
