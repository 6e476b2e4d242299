"""The job card: what it holds, what may be entered on it and what becomes of it then.

`transition` is the one truth: an entry makes another card of a card, or is refused with a reason;
`ready` is what must be there before a tick.
`checks` are the same rules as data for the browser while the server can not be asked, `moments`
says which clock is believed, `gates` what holds a start, a road test or a signature.
"""
