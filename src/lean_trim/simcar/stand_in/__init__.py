"""Stand-ins for a car's sockets: its ECU on a bus or behind an adapter, a wideband that writes lines.

Written apart from what reads them, so that an error in how bytes are understood is not shared.
"""
