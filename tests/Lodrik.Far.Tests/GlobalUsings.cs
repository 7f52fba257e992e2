global using Lodrik.Slots;
global using Lodrik.Tests.Storage;
global using Xunit;
