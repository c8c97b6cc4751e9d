"""Simulated pans, pots, trees and air: what the demonstration, practice and the stand-ins for devices play with."""
