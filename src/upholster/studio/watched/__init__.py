"""Folders of this machine in which plates land, to be keyed and delivered without anybody asking."""
