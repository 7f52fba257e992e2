namespace System.Runtime.CompilerServices;

/// <summary>What the compiler asks for to allow records; netstandard2.0 does not have it.</summary>
internal static class IsExternalInit;
