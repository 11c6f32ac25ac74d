"""OpenUSD (``UsdSkel``): .usda and .usdc, through the usd-core package."""
