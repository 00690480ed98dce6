"""Bench: beside the device, from the first hour to the first week."""
