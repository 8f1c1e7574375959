"""Arguments that every Chromium is started with in Python: nobody looks at its windows, and it asks nobody but the pages."""

from __future__ import annotations

# The address bar's suggestions are two pages of their own in each window, and cost three times what a small page does.
# The rest is Playwright's own list, for the last list that is given is the one that holds.
_LEFT_OUT = (
    "WebUIOmniboxPopup",
    "WebUIOmniboxAimPopup",
    "AvoidUnnecessaryBeforeUnloadCheckSync",
    "DestroyProfileOnBrowserClose",
    "HttpsUpgrades",
    "HttpsFirstBalancedModeAutoEnable",
    "LensOverlay",
    "MediaRouter",
    "PaintHolding",
    "ThirdPartyStoragePartitioning",
    "AvoidCorsURLLoaderRestartOnRedirect",
    "OptimizationHints",
    "NetworkTimeServiceQuerying",
    "AimEnabled",
    "PreconnectToSearch",
)
ARGUMENTS = (
    "--disable-gpu",
    "--disable-quic",
    "--disable-background-networking",
    f"--disable-features={','.join(_LEFT_OUT)}",
)
