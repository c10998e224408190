#!/bin/sh
# Makes the fonts of web/static/fonts/text, from which typed words take the letters that the usual font
# lacks: unhinted, since only their outlines are used, and otherwise as they come.
# Needs Debian's fonts-noto-core, fonts-droid-fallback and node, and fonttools and brotli from Python's
# registry.
set -eu
cd "$(dirname "$0")/../web/static/fonts/text"
from=/usr/share/fonts/truetype
take() {
  pyftsubset "$1" --output-file="$2.ttf" --unicodes="${3:-*}" --layout-features='*' --no-hinting \
    --notdef-outline --drop-tables+=DSIG,FFTM
}
take $from/noto/NotoSans-Regular.ttf latin-greek-cyrillic \
  U+0000-08FF,U+1AB0-1AFF,U+1C80-1C8F,U+1D00-218F,U+25CC,U+2C60-2C7F,U+2DE0-2E7F,U+A640-A69F,U+A700-A7FF,U+AB30-AB6F,U+FB00-FB06,U+FE20-FE2F
for script in Arabic Armenian Bengali Devanagari Ethiopic Georgian Gujarati Gurmukhi Hebrew Kannada Khmer Lao \
  Malayalam Math Myanmar Oriya Sinhala Symbols Symbols2 Tamil Telugu Thai
do
  take $from/noto/NotoSans$script-Regular.ttf "$(echo $script | tr '[:upper:]' '[:lower:]')"
done
take $from/droid/DroidSansFallbackFull.ttf cjk
npm pack --silent @fontsource/noto-emoji@5.3.2 >/dev/null
tar xzf fontsource-noto-emoji-5.3.2.tgz package/files/noto-emoji-emoji-400-normal.woff2
fonttools ttLib.woff2 decompress -o package/emoji.ttf package/files/noto-emoji-emoji-400-normal.woff2 2>/dev/null
take package/emoji.ttf emoji
npm pack --silent @expo-google-fonts/noto-sans-kr@0.4.3 >/dev/null
tar xzf expo-google-fonts-noto-sans-kr-0.4.3.tgz package/400Regular/NotoSansKR_400Regular.ttf
take package/400Regular/NotoSansKR_400Regular.ttf hangul U+0020,U+1100-11FF,U+3000-303F,U+3130-318F,U+A960-A97F,U+AC00-D7FF
rm -r package expo-google-fonts-noto-sans-kr-0.4.3.tgz fontsource-noto-emoji-5.3.2.tgz
