"""How Debian's Chromium is started: without windows of its own, drawing without a graphics card."""

BROWSER = "/usr/bin/chromium-headless-shell"

ARGUMENTS = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-gpu"]
