"""Arrays in, arrays out: no file, database, clock or web is known here.

Pictures are planar ``float32`` arrays of shape ``(3, height, width)``, encoded RGB in the
footage's own transfer, nominally 0..1. Mattes are ``(height, width)``, 0..1. Planar order lets
the fused kernels run as straight vector loops along a row.
"""
