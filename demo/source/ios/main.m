// The demo's executable: it refers to the system's classes without their
// headers, which are not to be had on every machine.
__attribute__((objc_root_class)) @interface NSObject
+ (instancetype)new;
@end
@class NSString;
@interface AVCaptureDevice : NSObject
+ (id)defaultDeviceWithMediaType:(id)type;
@end
@interface CBCentralManager : NSObject
- (instancetype)initWithDelegate:(id)d queue:(id)q;
@end
@interface NSUserDefaults : NSObject
+ (NSUserDefaults *)standardUserDefaults;
- (void)setBool:(_Bool)on forKey:(NSString *)key;
@end
extern id const AVMediaTypeVideo;
extern int UIApplicationMain(int, char **, id, id);

@interface FiringLog : NSObject
- (id)photographPot;
- (id)findProbe;
@end
@implementation FiringLog
- (id)photographPot { return [AVCaptureDevice defaultDeviceWithMediaType:AVMediaTypeVideo]; }
- (id)findProbe { return [[CBCentralManager new] initWithDelegate:self queue:(id)0]; }
@end

int main(int argc, char **argv) {
  FiringLog *log = [FiringLog new];
  [log photographPot];
  [log findProbe];
  [[NSUserDefaults standardUserDefaults] setBool:1 forKey:(NSString *)0];
  return UIApplicationMain(argc, argv, (id)0, (id)0);
}
