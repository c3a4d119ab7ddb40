extern int kiln_heat(void);
int kiln_ready(void) { return kiln_heat() > 900; }
