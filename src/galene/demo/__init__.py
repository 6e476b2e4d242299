"""The demo world: an island's transport co-operative, built through the use cases that the screens
use."""
