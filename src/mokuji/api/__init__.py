"""The JSON interface: the same services as the web pages, described by OpenAPI."""
