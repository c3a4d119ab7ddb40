// A class of its own and a call into the framework: what an extension begins with.
extern int kiln_heat(void);

__attribute__((objc_root_class)) @interface NAME
- (void)advanceToNextInputMode;
@end

@implementation NAME
- (void)advanceToNextInputMode {
}
@end

int main(void) { return kiln_heat(); }
