"""Light transport: rays, lighting, shading of fragments, denoising."""
