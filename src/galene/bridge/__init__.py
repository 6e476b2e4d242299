"""The bridge: the program on the laptop at the cart. It reads the car by its adapter, hands what it
reads to the server, once and in order, and does what a page asks while that is fresh.

It talks to a bus and to a server and to nothing else; what answers on the bus it can not know.
"""
