"""The site model: everything a developer configures for one site, as the site file writes it, a module a part.

The shape is the contract of `skurrow-site/1`. Names that the contract has and this version cannot compute
yet are refused by `skurrow.core.check.site`, never ignored. Amounts are texts here ("48.00"); `skurrow.core.edition`
turns a checked site into whole minor units.
"""
