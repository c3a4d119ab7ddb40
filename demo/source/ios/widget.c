extern int NSExtensionMain(int, char **);
int main(int argc, char **argv) { return NSExtensionMain(argc, argv); }
