"""The trade's facts as typed data. Imports nothing but the core's types."""
