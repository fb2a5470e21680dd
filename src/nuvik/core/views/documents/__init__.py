"""The JSON documents that commands print: what each holds, what its fields mean, and the schemas made from that.

A document is a frozen value of its own, so that others may rely on it while the model changes. `formats` names all.
"""
