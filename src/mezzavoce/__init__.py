"""The web application: stores, shows and sends. It computes nothing about sound."""
