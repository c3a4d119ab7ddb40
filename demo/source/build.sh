#!/usr/bin/env bash
# Builds the demo's packages, faulty and sound, with compilers and packers from
# Debian. Run it as "demo/source/build.sh"; the results go to demo/faulty/build
# and demo/sound/build. On a fresh machine it first needs
#
#   apt-get install aapt zipalign apksigner android-framework-res openjdk-17-jdk-headless \
#     libsmali-java clang-19 lld-19 protobuf-compiler libplist-utils openssl \
#     imagemagick zip
#
# Keys are made anew each time, so the files differ from build to build.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
draw=$(command -v convert-im6.q16 || command -v magick || command -v convert)
classpath=/usr/share/java/smali.jar:/usr/share/java/smali-util.jar:/usr/share/java/dexlib2.jar:/usr/share/java/jcommander.jar:/usr/share/java/guava.jar:/usr/share/java/antlr3-runtime.jar:/usr/share/java/stringtemplate4.jar

# icon SIZE FILE: a kiln's arch, without transparency.
icon() {
  "$draw" -size 108x108 xc:'#B5532A' -fill '#FFF4E6' \
    -draw "path 'M34,76 L34,54 A20,20 0 0 1 74,54 L74,76 L62,76 L62,58 A8,8 0 0 0 46,58 L46,76 Z'" \
    -filter box -resize "$1x$1!" -alpha off -strip -define png:color-type=2 -define png:exclude-chunks=date,time "$2"
}

keytool -genkeypair -keystore "$work/keys.p12" -storetype PKCS12 -storepass terracotta -alias kiln \
  -keyalg RSA -keysize 2048 -startdate "2026/11/01 12:00:00" -validity 12000 -dname "CN=Terrafuoco Release, O=Terrafuoco Example, L=Faenza, C=IT" 2>/dev/null

# bundle KIND TARGET: an app bundle.
bundle() {
  local kind=$1 target=$2 dir=$work/android-$1 permissions='' components=''
  mkdir -p "$dir/flat" "$dir/base/manifest" "$dir/base/dex"
  cp -r "$here/android/res" "$dir/res"
  (cd "$here/../.." && go run ./cmd/regola icons demo/sound/pictures/ios/icon.png --name ic_kiln --out "$dir/icons" > /dev/null)
  cp -r "$dir/icons/android/res/." "$dir/res/"
  if [ "$kind" = faulty ]; then
    icon 96 "$dir/res/mipmap-hdpi/ic_kiln.png"
    permissions='<uses-permission android:name="android.permission.ACCESS_FINE_LOCATION"/><uses-permission android:name="android.permission.ACCESS_BACKGROUND_LOCATION"/><uses-permission android:name="com.google.android.gms.permission.AD_ID"/>'
    components='<provider android:name="org.example.lanterna.ads.StartProvider" android:authorities="org.example.terrafuoco.lanterna" android:exported="false"/>'
  fi
  sed -e "s|@TARGET@|$target|" -e "s|<!--@PERMISSIONS@-->|$permissions|" -e "s|<!--@COMPONENTS@-->|$components|" \
    "$here/android/AndroidManifest.xml" | sed '/^<!--/d' > "$dir/AndroidManifest.xml"
  aapt2 compile --dir "$dir/res" -o "$dir/flat.zip"
  aapt2 link --proto-format -I /usr/share/android-framework-res/framework-res.apk --manifest "$dir/AndroidManifest.xml" \
    --compile-sdk-version-code "$target" --compile-sdk-version-name "$target" -o "$dir/proto.zip" "$dir/flat.zip"
  (cd "$dir/base" && unzip -qo ../proto.zip && mv AndroidManifest.xml manifest/)
  local classes=("$here"/android/app/*.smali)
  [ "$kind" = faulty ] && classes+=("$here"/android/lanterna/*.smali)
  java -cp "$classpath" org.jf.smali.Main assemble -a 26 -o "$dir/base/dex/classes.dex" "${classes[@]}"
  local abi triple
  for abi in arm64-v8a:aarch64-linux-android26 armeabi-v7a:armv7a-linux-androideabi26 x86:i686-linux-android26; do
    triple=${abi#*:} abi=${abi%:*}
    [ "$abi" = x86 ] && [ "$kind" = sound ] && continue
    mkdir -p "$dir/base/lib/$abi"
    clang-19 --target="$triple" -Os -shared -fPIC -nostdlib -fuse-ld=lld-19 -Wl,-z,max-page-size=16384 -Wl,--build-id -Wl,-s \
      -o "$dir/base/lib/$abi/libkilnmath.so" "$here/android/kilnmath.c"
    if [ "$kind" = sound ]; then
      local symbols=$dir/BUNDLE-METADATA/com.android.tools.build.debugsymbols/$abi
      mkdir -p "$symbols"
      clang-19 --target="$triple" -Os -shared -fPIC -nostdlib -fuse-ld=lld-19 -Wl,-z,max-page-size=16384 -Wl,--build-id \
        -o "$symbols/libkilnmath.so.sym" "$here/android/kilnmath.c"
    fi
  done
  protoc --proto_path="$here/android" --encode=BundleConfig bundle.proto < "$here/android/bundle.txt" > "$dir/BundleConfig.pb"
  mkdir -p "$here/../$kind/build"
  rm -f "$here/../$kind/build/terrafuoco.aab"
  (cd "$dir" && zip -qXDr9 "$here/../$kind/build/terrafuoco.aab" BundleConfig.pb $([ -d BUNDLE-METADATA ] && echo BUNDLE-METADATA) base)
  jarsigner -keystore "$work/keys.p12" -storepass terracotta -sigalg SHA256withRSA -digestalg SHA-256 \
    "$here/../$kind/build/terrafuoco.aab" kiln > /dev/null
}

# plist FILE SDK KEY=VALUE…: writes the keys that build tools add to every property list.
plist_head() { printf '<?xml version="1.0" encoding="UTF-8"?>\n<plist version="1.0"><dict>\n'; }
plist_tools() {
  local marks='<key>DTXcode</key><string>2610</string><key>DTXcodeBuild</key><string>17B55</string><key>DTSDKBuild</key><string>23B77</string>'
  [ "$1" = 18.2 ] && marks='<key>DTXcode</key><string>1620</string><key>DTXcodeBuild</key><string>16C5032a</string><key>DTSDKBuild</key><string>22C146</string>'
  cat <<END
$marks
<key>DTPlatformName</key><string>iphoneos</string>
<key>DTSDKName</key><string>iphoneos$1</string>
<key>DTPlatformVersion</key><string>$1</string>
<key>CFBundleSupportedPlatforms</key><array><string>iPhoneOS</string></array>
<key>CFBundleInfoDictionaryVersion</key><string>6.0</string>
<key>MinimumOSVersion</key><string>15.0</string>
<key>CFBundleDevelopmentRegion</key><string>en</string>
<key>UIDeviceFamily</key><array><integer>1</integer></array>
END
}

# seal FOLDER: the resource seal, a digest for every file but the executable's.
seal() {
  mkdir -p "$1/_CodeSignature"
  { plist_head; echo '<key>files2</key><dict>'
    (cd "$1" && find . -type f ! -path './_CodeSignature/*' ! -name "$2" | sort | sed 's|^\./||') | while read -r f; do
      printf '<key>%s</key><dict><key>hash2</key><data>%s</data></dict>\n' "$f" "$(openssl dgst -sha256 -binary "$1/$f" | base64 -w0)"
    done
    echo '</dict></dict></plist>'; } > "$1/_CodeSignature/CodeResources"
}

openssl req -x509 -newkey rsa:2048 -nodes -keyout "$work/ios.key" -out "$work/ios.crt" -days 3650 \
  -subj "/CN=Terrafuoco Distribution/O=Terrafuoco Example/OU=K1LN7EAM42" 2>/dev/null

# profile FOLDER ID [ENTITLEMENTS]: a provisioning profile for the store.
profile() {
  { plist_head
    cat <<END
<key>AppIDName</key><string>Terrafuoco</string>
<key>ApplicationIdentifierPrefix</key><array><string>K1LN7EAM42</string></array>
<key>TeamIdentifier</key><array><string>K1LN7EAM42</string></array>
<key>TeamName</key><string>Terrafuoco Example</string>
<key>Platform</key><array><string>iOS</string></array>
<key>Name</key><string>Terrafuoco store</string>
<key>UUID</key><string>6b1f0a52-6c1a-4a57-9f0e-7e44aa5d1c01</string>
<key>Version</key><integer>1</integer>
<key>CreationDate</key><date>2026-10-01T08:00:00Z</date>
<key>ExpirationDate</key><date>2036-10-01T08:00:00Z</date>
<key>TimeToLive</key><integer>3652</integer>
<key>DeveloperCertificates</key><array><data>$(openssl x509 -in "$work/ios.crt" -outform DER | base64 -w0)</data></array>
<key>Entitlements</key><dict>
<key>application-identifier</key><string>K1LN7EAM42.$2</string>
<key>com.apple.developer.team-identifier</key><string>K1LN7EAM42</string>
<key>get-task-allow</key><false/>
<key>beta-reports-active</key><true/>
${3:-}
</dict>
</dict></plist>
END
  } > "$work/profile.plist"
  openssl cms -sign -binary -nodetach -in "$work/profile.plist" -signer "$work/ios.crt" -inkey "$work/ios.key" \
    -outform DER -out "$1/embedded.mobileprovision"
}

# link OUTPUT SDK ARGUMENTS…: a device executable for arm64.
link() {
  local out=$1 sdk=$2; shift 2
  clang-19 --target=arm64-apple-ios15.0 -Os -nostdlib -fuse-ld="$(command -v ld64.lld-19)" -L"$here/ios" \
    -Wl,-platform_version,ios,15.0,"$sdk" -Wl,-adhoc_codesign -o "$out" "$@" "$here/ios/libSystem.tbd" 2>/dev/null
}

# sign BUNDLE EXECUTABLE ID ENTITLEMENTS…: the code signature.
sign() {
  local bundle=$1 exe=$2 id=$3; shift 3
  (cd "$here/../.." && go run ./demo/source/codesign "$bundle/$exe" "$bundle" "$id" K1LN7EAM42 "$work/ios.key" "$work/ios.crt" \
    "application-identifier=K1LN7EAM42.$id" com.apple.developer.team-identifier=K1LN7EAM42 get-task-allow=false beta-reports-active=true "$@")
}

# ipa KIND SDK ID: an application archive.
ipa() {
  local kind=$1 sdk=$2 id=$3 dir=$work/ios-$1 app widget lang
  app=$dir/Payload/Terrafuoco.app widget=$app/PlugIns/FiringWidget.appex
  mkdir -p "$widget"
  link "$app/Terrafuoco" "$sdk" "$here/ios/main.m" "$here/ios/Foundation.tbd" "$here/ios/UIKit.tbd" \
    "$here/ios/AVFoundation.tbd" "$here/ios/CoreBluetooth.tbd" "$here/ios/libobjc.tbd" -Wl,-rpath,@executable_path/Frameworks
  link "$widget/FiringWidget" "$sdk" "$here/ios/widget.c" "$here/ios/Foundation.tbd"
  icon 120 "$app/AppIcon60x60@2x.png"
  icon 180 "$app/AppIcon60x60@3x.png"
  (cd "$here/../.." && go run ./demo/source/assets "$app/Assets.car" "$kind")
  local camera='Photographs a pot before and after its firing, for the log.' widget_version=1.4.0
  local probe='<key>NSBluetoothAlwaysUsageDescription</key><string>Reads the temperature probe in the kiln during a firing.</string>'
  if [ "$kind" = faulty ]; then camera='Camera access needed' widget_version=1.3.2 probe=''; fi
  { plist_head; plist_tools "$sdk"
    cat <<END
<key>CFBundleIdentifier</key><string>$id</string>
<key>CFBundleName</key><string>Terrafuoco</string>
<key>CFBundleDisplayName</key><string>Terrafuoco</string>
<key>CFBundleExecutable</key><string>Terrafuoco</string>
<key>CFBundlePackageType</key><string>APPL</string>
<key>CFBundleShortVersionString</key><string>1.4.0</string>
<key>CFBundleVersion</key><string>1400</string>
<key>LSRequiresIPhoneOS</key><true/>
<key>ITSAppUsesNonExemptEncryption</key><false/>
<key>UILaunchScreen</key><dict><key>UIColorName</key><string>Clay</string></dict>
<key>UISupportedInterfaceOrientations</key><array><string>UIInterfaceOrientationPortrait</string></array>
<key>NSCameraUsageDescription</key><string>$camera</string>
$probe
<key>CFBundleIcons</key><dict><key>CFBundlePrimaryIcon</key><dict>
<key>CFBundleIconName</key><string>AppIcon</string>
<key>CFBundleIconFiles</key><array><string>AppIcon60x60</string></array>
</dict></dict>
</dict></plist>
END
  } | plistutil -i - -f bin -o "$app/Info.plist"
  { plist_head; plist_tools "$sdk"
    cat <<END
<key>CFBundleIdentifier</key><string>$id.widget</string>
<key>CFBundleName</key><string>FiringWidget</string>
<key>CFBundleDisplayName</key><string>Firing</string>
<key>CFBundleExecutable</key><string>FiringWidget</string>
<key>CFBundlePackageType</key><string>XPC!</string>
<key>CFBundleShortVersionString</key><string>$widget_version</string>
<key>CFBundleVersion</key><string>1400</string>
<key>NSExtension</key><dict><key>NSExtensionPointIdentifier</key><string>com.apple.widgetkit-extension</string></dict>
</dict></plist>
END
  } | plistutil -i - -f bin -o "$widget/Info.plist"
  for lang in en it de; do mkdir -p "$app/$lang.lproj"; done
  if [ "$kind" = sound ]; then
    cat > "$app/it.lproj/InfoPlist.strings" <<'END'
"NSCameraUsageDescription" = "Fotografa un pezzo prima e dopo la cottura, per il registro.";
"NSBluetoothAlwaysUsageDescription" = "Legge la sonda di temperatura nel forno durante una cottura.";
END
    cat > "$app/de.lproj/InfoPlist.strings" <<'END'
"NSCameraUsageDescription" = "Fotografiert ein Stück vor und nach dem Brand, für das Brennbuch.";
"NSBluetoothAlwaysUsageDescription" = "Liest während eines Brandes den Temperaturfühler im Ofen.";
END
  else
    printf '"CFBundleDisplayName" = "Terrafuoco";\n' | tee "$app/it.lproj/InfoPlist.strings" > "$app/de.lproj/InfoPlist.strings"
  fi
  printf '"CFBundleDisplayName" = "Terrafuoco";\n' > "$app/en.lproj/InfoPlist.strings"
  if [ "$kind" = sound ]; then
    { plist_head
      echo '<key>NSPrivacyTracking</key><false/><key>NSPrivacyTrackingDomains</key><array/>'
      echo '<key>NSPrivacyCollectedDataTypes</key><array/>'
      echo '<key>NSPrivacyAccessedAPITypes</key><array><dict><key>NSPrivacyAccessedAPIType</key><string>NSPrivacyAccessedAPICategoryUserDefaults</string>'
      echo '<key>NSPrivacyAccessedAPITypeReasons</key><array><string>CA92.1</string></array></dict></array></dict></plist>'
    } > "$app/PrivacyInfo.xcprivacy"
  fi
  # From the innermost bundle outwards: profile, seal, signature.
  profile "$widget" "$id.widget"; seal "$widget" FiringWidget; sign "$widget" FiringWidget "$id.widget"
  profile "$app" "$id"; seal "$app" Terrafuoco; sign "$app" Terrafuoco "$id"
  mkdir -p "$here/../$kind/build"
  rm -f "$here/../$kind/build/Terrafuoco.ipa"
  (cd "$dir" && zip -qXDr9 "$here/../$kind/build/Terrafuoco.ipa" Payload)
}

# apks: what the readers' tests need beside the demo: a signed APK and its
# splits by language and density, with the binary forms of manifest and table.
apks() {
  local dir=$work/android-sound out=$here/../../internal/core/artifact/testdata/android
  mkdir -p "$out"
  aapt2 link -I /usr/share/android-framework-res/framework-res.apk --manifest "$dir/AndroidManifest.xml" \
    --compile-sdk-version-code 36 --compile-sdk-version-name 36 -o "$dir/plain.apk" "$dir/flat.zip"
  (cd "$dir/base" && zip -qXDr9 ../plain.apk lib -n .so && cd dex && zip -qXD9 ../../plain.apk classes.dex)
  aapt2 optimize --enable-resource-path-shortening --enable-resource-obfuscation --enable-sparse-encoding -o "$dir/short.apk" "$dir/plain.apk"
  aapt2 link -I /usr/share/android-framework-res/framework-res.apk --manifest "$dir/AndroidManifest.xml" \
    --split "$dir/split.it.apk:it" -o "$dir/base.apk" "$dir/flat.zip"
  local f
  for f in plain short base split.it; do
    zipalign -f -p 4 "$dir/$f.apk" "$dir/$f.aligned.apk"
    apksigner sign --ks "$work/keys.p12" --ks-pass pass:terracotta --min-sdk-version 21 \
      --v4-signing-enabled false --out "$out/$f.apk" "$dir/$f.aligned.apk"
  done
}

# whole: what the readers' tests need beside the demo: an app with all that can
# lie inside one, in order: a framework, two extensions that use it, an app
# clip and a watch app.
whole() {
  local sdk=26.1 id=org.example.terrafuoco dir=$work/ios-whole app fw clip watch out=$here/../../internal/core/artifact/testdata/ios
  app=$dir/Payload/Terrafuoco.app fw=$app/Frameworks/KilnKit.framework clip=$app/AppClips/Clip.app watch=$app/Watch/Watch.app
  mkdir -p "$fw" "$clip" "$watch" "$out"
  # info FOLDER ID NAME TYPE KEYS [SED]: a property list.
  info() {
    { plist_head; plist_tools "$sdk" | sed "${6:-}"
      printf '<key>%s</key><string>%s</string>\n' CFBundleIdentifier "$2" CFBundleName "$3" CFBundleDisplayName "$3" \
        CFBundleExecutable "$3" CFBundlePackageType "$4" CFBundleShortVersionString 1.4.0 CFBundleVersion 1400
      echo "$5</dict></plist>"; } | plistutil -i - -f bin -o "$1/Info.plist"
    { plist_head; echo '<key>NSPrivacyTracking</key><false/><key>NSPrivacyAccessedAPITypes</key><array><dict><key>NSPrivacyAccessedAPIType</key><string>NSPrivacyAccessedAPICategoryUserDefaults</string><key>NSPrivacyAccessedAPITypeReasons</key><array><string>CA92.1</string></array></dict></array></dict></plist>'; } > "$1/PrivacyInfo.xcprivacy"
  }
  clang-19 --target=arm64-apple-ios15.0 -Os -nostdlib -dynamiclib -fuse-ld="$(command -v ld64.lld-19)" -L"$here/ios" \
    -Wl,-platform_version,ios,15.0,"$sdk" -Wl,-adhoc_codesign -Wl,-application_extension \
    -install_name @rpath/KilnKit.framework/KilnKit -o "$fw/KilnKit" "$here/ios/kit.c" "$here/ios/libSystem.tbd" 2>/dev/null
  info "$fw" org.example.kilnkit KilnKit FMWK ''; seal "$fw" KilnKit; sign "$fw" KilnKit org.example.kilnkit
  local name point class e
  while read -r name point class; do
    e=$app/PlugIns/$name.appex; mkdir -p "$e"
    link "$e/$name" "$sdk" "$here/ios/extension.m" -DNAME="$class" "$here/ios/Foundation.tbd" "$here/ios/libobjc.tbd" \
      -Wl,-rpath,@executable_path/../../Frameworks "$fw/KilnKit"
    info "$e" "$id.$name" "$name" 'XPC!' "<key>NSExtension</key><dict><key>NSExtensionPointIdentifier</key><string>$point</string><key>NSExtensionPrincipalClass</key><string>$class</string></dict>"
    profile "$e" "$id.$name"; seal "$e" "$name"; sign "$e" "$name" "$id.$name"
  done <<'END'
Share com.apple.share-services KLNShare
Keys com.apple.keyboard-service KLNKeys
END
  link "$clip/Clip" "$sdk" "$here/ios/widget.c" "$here/ios/Foundation.tbd"
  (cd "$here/../.." && go run ./demo/source/assets "$clip/Assets.car" sound && go run ./demo/source/assets "$watch/Assets.car" sound && go run ./demo/source/assets "$app/Assets.car" sound)
  info "$clip" "$id.Clip" Clip APPL '<key>NSAppClip</key><dict/><key>CFBundleIconName</key><string>AppIcon</string>
<key>LSRequiresIPhoneOS</key><true/><key>UILaunchScreen</key><dict/>
<key>UISupportedInterfaceOrientations</key><array><string>UIInterfaceOrientationPortrait</string></array>'
  local parent=com.apple.developer.parent-application-identifiers demand=com.apple.developer.on-demand-install-capable child=com.apple.developer.associated-appclip-app-identifiers
  profile "$clip" "$id.Clip" "<key>$demand</key><true/><key>$parent</key><array><string>K1LN7EAM42.$id</string></array>"
  seal "$clip" Clip; sign "$clip" Clip "$id.Clip" "$demand=true" "$parent=[K1LN7EAM42.$id]"
  clang-19 --target=arm64-apple-watchos15.0 -Os -nostdlib -fuse-ld="$(command -v ld64.lld-19)" -Wl,-undefined,dynamic_lookup \
    -Wl,-platform_version,watchos,15.0,"$sdk" -Wl,-adhoc_codesign -o "$watch/Watch" "$here/ios/watch.c" 2>/dev/null
  info "$watch" "$id.watchkitapp" Watch APPL "<key>WKApplication</key><true/><key>WKCompanionAppBundleIdentifier</key><string>$id</string><key>CFBundleIconName</key><string>AppIcon</string>" \
    's/iPhoneOS/WatchOS/; s/iphoneos/watchos/; s/<integer>1</<integer>4</'
  profile "$watch" "$id.watchkitapp"; seal "$watch" Watch; sign "$watch" Watch "$id.watchkitapp"
  link "$app/Terrafuoco" "$sdk" "$here/ios/main.m" "$here/ios/kiln.c" "$here/ios/Foundation.tbd" "$here/ios/UIKit.tbd" \
    "$here/ios/AVFoundation.tbd" "$here/ios/CoreBluetooth.tbd" "$here/ios/libobjc.tbd" -Wl,-rpath,@executable_path/Frameworks "$fw/KilnKit"
  icon 120 "$app/AppIcon60x60@2x.png"
  info "$app" "$id" Terrafuoco APPL '<key>LSRequiresIPhoneOS</key><true/><key>ITSAppUsesNonExemptEncryption</key><false/><key>UILaunchScreen</key><dict/>
<key>UISupportedInterfaceOrientations</key><array><string>UIInterfaceOrientationPortrait</string></array>
<key>NSCameraUsageDescription</key><string>Photographs a pot before and after its firing, for the log.</string>
<key>NSBluetoothAlwaysUsageDescription</key><string>Reads the temperature probe in the kiln during a firing.</string>
<key>CFBundleIcons</key><dict><key>CFBundlePrimaryIcon</key><dict><key>CFBundleIconName</key><string>AppIcon</string><key>CFBundleIconFiles</key><array><string>AppIcon60x60</string></array></dict></dict>'
  profile "$app" "$id" "<key>$child</key><array><string>K1LN7EAM42.$id.Clip</string></array>"
  seal "$app" Terrafuoco; sign "$app" Terrafuoco "$id" "$child=[K1LN7EAM42.$id.Clip]"
  rm -f "$out/whole.ipa"
  (cd "$dir" && zip -qXDr9 "$out/whole.ipa" Payload)
}

# envelopes: signatures with each kind of key, for the test of their reader.
envelopes() {
  local out=$here/../../internal/core/format/cms/testdata dir=$work/envelopes kind alg size extra
  mkdir -p "$out" "$dir"
  echo kiln > "$dir/kiln.txt"
  while read -r kind alg size extra; do
    rm -f "$dir/kiln.jar"
    (cd "$dir" && zip -qX kiln.jar kiln.txt)
    keytool -genkeypair -keystore "$dir/$kind.p12" -storetype PKCS12 -storepass terracotta -alias kiln \
      -keyalg "$alg" ${size:+-keysize "$size"} -validity 12000 -dname "CN=Terrafuoco Release" 2>/dev/null
    jarsigner -keystore "$dir/$kind.p12" -storepass terracotta ${extra:+-sigalg "$extra"} "$dir/kiln.jar" kiln > /dev/null
    unzip -qp "$dir/kiln.jar" META-INF/KILN.SF > "$out/$kind.sf"
    unzip -qp "$dir/kiln.jar" 'META-INF/KILN.[RED]*' > "$out/$kind.p7"
  done <<'END'
rsa RSA 2048
pss RSA 2048 RSASSA-PSS
ec256 EC 256
ec384 EC 384
dsa DSA 2048
ed25519 Ed25519
END
  # The signer of packages leaves out the signed attributes.
  cp "$work/android-sound/plain.aligned.apk" "$dir/plain.apk"
  apksigner sign --ks "$dir/ec256.p12" --ks-pass pass:terracotta --min-sdk-version 21 --v4-signing-enabled false "$dir/plain.apk"
  unzip -qp "$dir/plain.apk" META-INF/KILN.SF > "$out/ec-bare.sf"
  unzip -qp "$dir/plain.apk" META-INF/KILN.EC > "$out/ec-bare.p7"
}

bundle faulty 35
bundle sound 36
apks
envelopes
ipa faulty 18.2 org.example.TerraFuoco
ipa sound 26.1 org.example.terrafuoco
whole
ls -l "$here/../faulty/build" "$here/../sound/build"
