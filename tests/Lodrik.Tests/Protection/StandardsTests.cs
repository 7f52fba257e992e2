using System.Buffers.Text;
using System.Formats.Cbor;
using System.Security.Cryptography;
using System.Security.Cryptography.Cose;
using System.Text;
using Lodrik.Protection;
using Lodrik.Tests.Migrations;

namespace Lodrik.Tests.Protection;

/// <summary>Seals are what the standards say, so that a server in any language can check them without us.</summary>
public sealed class StandardsTests
{
    private static readonly byte[] Secret = SHA256.HashData("of the tests"u8);

    [Fact]
    public void The_platform_checks_our_COSE_Sign1_and_we_check_the_platforms()
    {
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var content = Content();
        var ours = SealEnvelope.WriteCose(SaveKey.Signing("studio", pair.ExportPkcs8PrivateKeyPem()), content);
        var message = CoseMessage.DecodeSign1(ours);
        Assert.True(message.VerifyEmbedded(pair));
        Assert.Equal(content.ToCbor(), message.Content!.Value.ToArray());
        Assert.Equal("studio", Encoding.ASCII.GetString(message.ProtectedHeaders[CoseHeaderLabel.KeyIdentifier].GetValueAsBytes()));

        var headers = new CoseHeaderMap { { CoseHeaderLabel.KeyIdentifier, CoseHeaderValue.FromBytes("studio"u8) } };
        var theirs = CoseSign1Message.SignEmbedded(content.ToCbor(), new CoseSigner(pair, HashAlgorithmName.SHA256, headers));
        var opened = SealEnvelope.OpenCose(theirs, new KeyRing(SaveKey.Verifying("studio", pair.ExportSubjectPublicKeyInfoPem())), default).Content;
        Assert.Equal(content.Frame, opened.Frame);
        Assert.Equal(content.Sections.Select(section => (section.Name, Convert.ToHexString(section.Digest))), opened.Sections.Select(section => (section.Name, Convert.ToHexString(section.Digest))));
    }

    [Fact]
    public void A_COSE_Mac0_is_the_structure_of_RFC_9052_written_by_hand()
    {
        var seal = SealEnvelope.WriteCose(SaveKey.FromBytes("2031", Secret), Content());
        var reader = new CborReader(seal, CborConformanceMode.Canonical);
        Assert.Equal((CborTag)17, reader.ReadTag());
        Assert.Equal(4, reader.ReadStartArray());
        var header = reader.ReadByteString();
        Assert.Equal(0, reader.ReadStartMap());
        reader.ReadEndMap();
        var payload = reader.ReadByteString();
        var tag = reader.ReadByteString();
        Assert.Equal(Content().ToCbor(), payload);

        var map = new CborReader(header);
        Assert.Equal(2, map.ReadStartMap());
        Assert.Equal((1, 5, 4, "2031"), (map.ReadInt32(), map.ReadInt32(), map.ReadInt32(), Encoding.ASCII.GetString(map.ReadByteString())));

        // RFC 9052 section 6.3: ["MAC0", protected, external_aad, payload].
        var structure = new CborWriter(CborConformanceMode.Canonical);
        structure.WriteStartArray(4);
        structure.WriteTextString("MAC0");
        structure.WriteByteString(header);
        structure.WriteByteString([]);
        structure.WriteByteString(payload);
        structure.WriteEndArray();
        Assert.Equal(HMACSHA256.HashData(HKDF.DeriveKey(HashAlgorithmName.SHA256, Secret, 32, info: "lodrik seal"u8.ToArray()), structure.Encode()), tag);
    }

    [Fact]
    public void A_COSE_Encrypt0_is_the_structure_of_RFC_9052_written_by_hand()
    {
        using var cipher = SectionCipher.New(SaveKey.FromBytes("2031", Secret), KeyMaking.None);
        var plain = Encoding.UTF8.GetBytes(new string('x', 300));
        var section = cipher.Encrypt(7, "scenes/mill", plain);
        var reader = new CborReader(section, CborConformanceMode.Canonical);
        Assert.Equal((CborTag)16, reader.ReadTag());
        Assert.Equal(3, reader.ReadStartArray());
        var header = reader.ReadByteString();
        Assert.Equal("A10103", Convert.ToHexString(header));
        Assert.Equal(1, reader.ReadStartMap());
        Assert.Equal(5, reader.ReadInt32());
        var nonce = reader.ReadByteString();
        Assert.Equal("000000000000000000000007", Convert.ToHexString(nonce));
        reader.ReadEndMap();
        var ciphertext = reader.ReadByteString();
        reader.ReadEndArray();

        // RFC 9052 section 5.3: ["Encrypt0", protected, external_aad].
        var structure = new CborWriter(CborConformanceMode.Canonical);
        structure.WriteStartArray(3);
        structure.WriteTextString("Encrypt0");
        structure.WriteByteString(header);
        structure.WriteByteString("scenes/mill"u8);
        structure.WriteEndArray();
        using var key = new AesGcm(HKDF.DeriveKey(HashAlgorithmName.SHA256, Secret, 32, cipher.Salt, "lodrik encryption"u8.ToArray()), 16);
        var opened = new byte[ciphertext.Length - 16];
        key.Decrypt(nonce, ciphertext.AsSpan(0, opened.Length), ciphertext.AsSpan(opened.Length), opened, structure.Encode());
        Assert.Equal(plain, opened);
        Assert.Equal(plain, cipher.Decrypt("scenes/mill", section));
        Assert.Null(cipher.Decrypt("scenes/weir", section));
    }

    [Fact]
    public void An_example_of_NIST_for_AES_256_GCM_comes_out()
    {
        // The GCM specification's test case 16 (McGrew and Viega), which is among NIST's own.
        using var key = new AesGcm(Convert.FromHexString("feffe9928665731c6d6a8f9467308308feffe9928665731c6d6a8f9467308308"), 16);
        var plain = Convert.FromHexString("d9313225f88406e5a55909c5aff5269a86a7a9531534f7da2e4c303d8a318a721c3c0c95956809532fcf0e2449a6b525b16aedf5aa0de657ba637b39");
        var (ciphertext, tag) = (new byte[plain.Length], new byte[16]);
        key.Encrypt(Convert.FromHexString("cafebabefacedbaddecaf888"), plain, ciphertext, tag, Convert.FromHexString("feedfacedeadbeeffeedfacedeadbeefabaddad2"));
        Assert.Equal("76fc6ece0f4e1768cddf8853bb2d551b", Convert.ToHexStringLower(tag));
        Assert.StartsWith("522dc1f099567d07f47f37a32a84427d", Convert.ToHexStringLower(ciphertext), StringComparison.Ordinal);
    }

    [Fact]
    public void A_JWS_is_checked_by_what_any_language_has()
    {
        using var pair = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        foreach (var (key, algorithm) in new[] { (SaveKey.FromBytes("2031", Secret), "HS256"), (SaveKey.Signing("studio", pair.ExportPkcs8PrivateKeyPem()), "ES256") })
        {
            var parts = SealEnvelope.WriteJws(key, Content()).Split('.');
            Assert.Equal($$"""{"alg":"{{algorithm}}","kid":"{{key.Id}}"}""", Encoding.UTF8.GetString(Base64Url.DecodeFromChars(parts[0])));
            var message = Encoding.ASCII.GetBytes($"{parts[0]}.{parts[1]}");
            var signature = Base64Url.DecodeFromChars(parts[2]);
            if (algorithm == "ES256")
                Assert.True(pair.VerifyData(message, signature, HashAlgorithmName.SHA256));
            else
                Assert.Equal(HMACSHA256.HashData(HKDF.DeriveKey(HashAlgorithmName.SHA256, Secret, 32, info: "lodrik seal"u8.ToArray()), message), signature);
        }
    }

    [Fact]
    public void The_examples_of_RFC_7515_come_out()
    {
        // Appendix A.1: HS256, with the key of the example as it stands.
        const string Hs256 = "eyJ0eXAiOiJKV1QiLA0KICJhbGciOiJIUzI1NiJ9.eyJpc3MiOiJqb2UiLA0KICJleHAiOjEzMDA4MTkzODAsDQogImh0dHA6Ly9leGFtcGxlLmNvbS9pc19yb290Ijp0cnVlfQ";
        var key = Base64Url.DecodeFromChars("AyM1SysPpbyDfgZld3umj1qzKObwVMkoqQ-EstJQLr_T-1qS0gZH75aKtMN3Yj0iPS4hcgUuTwjAzZr1Z9CAow");
        Assert.Equal("dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk", Base64Url.EncodeToString(HMACSHA256.HashData(key, Encoding.ASCII.GetBytes(Hs256))));

        // Appendix A.3: ES256, checked by a key of ours made of the example's.
        const string Es256 = "eyJhbGciOiJFUzI1NiJ9.eyJpc3MiOiJqb2UiLA0KICJleHAiOjEzMDA4MTkzODAsDQogImh0dHA6Ly9leGFtcGxlLmNvbS9pc19yb290Ijp0cnVlfQ";
        using var pair = ECDsa.Create(new ECParameters
        {
            Curve = ECCurve.NamedCurves.nistP256,
            Q = { X = Base64Url.DecodeFromChars("f83OJ3D2xF1Bg8vub9tLe1gHMzV76e8Tus9uPHvRVEU"), Y = Base64Url.DecodeFromChars("x_FEzRu9m36HLN_tue659LNpXW6pCyStikYjKIWI5a0") },
        });
        var signature = Base64Url.DecodeFromChars("DtEhU3ljbEg8L38VWAfUAqOyKAM6-Xx-F4GawxaepmXFCgfTjDxw5djxLa8ISlSApmWQxfKTUJqPP3-Kg6NU1Q");
        var studio = SaveKey.Verifying("example", pair.ExportSubjectPublicKeyInfoPem());
        Assert.True(studio.Fits(Encoding.ASCII.GetBytes(Es256), signature, KeyMaking.None));
        signature[40] ^= 1;
        Assert.False(studio.Fits(Encoding.ASCII.GetBytes(Es256), signature, KeyMaking.None));
    }

    [Fact]
    public void The_example_of_RFC_5869_comes_out()
    {
        // Appendix A.1.
        var key = HKDF.DeriveKey(HashAlgorithmName.SHA256, Convert.FromHexString("0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b0b"), 42, Convert.FromHexString("000102030405060708090a0b0c"), Convert.FromHexString("f0f1f2f3f4f5f6f7f8f9"));
        Assert.Equal("3cb25f25faacd57a90434f64d0362f2a2d2d0a90cf1a5a4c5db02d56ecc4c5bf34007208d5b887185865", Convert.ToHexStringLower(key));
    }

    [Theory]
    [InlineData("Sample message for keylen=blocklen", 64, "8bb9a1db9806f20df7f77b82138c7914d174d59e13dc4d0169c9057b133e1d62")]
    [InlineData("Sample message for keylen<blocklen", 32, "a28cf43130ee696a98f14a37678b56bcfcbdd9e5cf69717fecf5480f0ebdf790")]
    [InlineData("Sample message for keylen=blocklen", 100, "bdccb6c72ddeadb500ae768386cb38cc41c63dbb0878ddb9c7a38a431b78378d")]
    public void The_examples_of_NIST_for_HMAC_SHA_256_come_out(string message, int keyBytes, string mac) =>
        Assert.Equal(mac, Convert.ToHexStringLower(HMACSHA256.HashData(Enumerable.Range(0, keyBytes).Select(i => (byte)i).ToArray(), Encoding.ASCII.GetBytes(message))));

    /// <summary>Made by another language's libraries, with the structures written by hand. Key: the bytes from 1 to 32.</summary>
    [Fact]
    public void The_vectors_come_out_that_were_made_without_us()
    {
        var key = SaveKey.FromBytes("2031", [.. Enumerable.Range(1, 32).Select(i => (byte)i)]);
        const string Mac0 = "d18449a20105044432303331a0587c8258209dff50df08c635815f4b19da10f756605a34a79a48d4ba48712782502975a70e82826570696c6f74582007ae38b93d8054d84aac37039c71ad114a8685a3857084d568f260ce69f0737f826b7363656e65732f6d696c6c5820901fac08e3b464b12fab1d04624a51901b851f15f30119bc345842850503054558207a12ac4c1239d84350f7bef9538970d09f7fc1f8e1d60153d55c3e989edd3cbd";
        Assert.Equal(Mac0, Convert.ToHexStringLower(SealEnvelope.WriteCose(key, Content())));
        Assert.Equal(SHA256.HashData("frame"u8), SealEnvelope.OpenCose(Convert.FromHexString(Mac0), new KeyRing(key), default).Content.Frame);

        const string Encrypt0 = "d08343a10103a1054c0000000000000000000000075825bae9b97b72742e977836b21d23d19c1677d2d0404396be7c2581635e946f56b8239531bb83";
        using var cipher = SectionCipher.Of(key, KeyMaking.None, [.. Enumerable.Range(100, 32).Select(i => (byte)i)]);
        Assert.Equal(Encrypt0, Convert.ToHexStringLower(cipher.Encrypt(7, "scenes/mill", "low water at the mill"u8)));
        Assert.Equal("low water at the mill"u8.ToArray(), cipher.Decrypt("scenes/mill", Convert.FromHexString(Encrypt0)));
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    public void A_server_checks_a_readable_save_by_the_document_alone(SaveForm form)
    {
        // As docs/protection.md says it, with nothing of ours but the save.
        var save = new FerryV1 { Log = ["cast off"] };
        var storage = new Lodrik.Storage.MemoryStorage();
        using (var store = SaveStore<FerryV1>.Open(new SaveStoreOptions { Storage = storage, Form = form, Protection = SaveProtection.With(SaveKey.FromBytes("2031", Secret)) with { Context = "account 7" } }))
            store.Save("evening", save);
        var file = storage.Read(storage.List("slots").Single().Name)!;
        var (open, close) = form == SaveForm.Json ? ("\"seal\": \""u8.ToArray(), "\""u8.ToArray()) : ("<seal>"u8.ToArray(), "</seal>"u8.ToArray());
        var start = file.AsSpan().LastIndexOf(open) + open.Length;
        var end = start + file.AsSpan(start).IndexOf(close);
        var parts = Encoding.ASCII.GetString(file.AsSpan(start, end - start)).Split('.');
        var key = HKDF.DeriveKey(HashAlgorithmName.SHA256, Secret, 32, info: "lodrik seal"u8.ToArray());
        Assert.Equal(HMACSHA256.HashData(key, Encoding.ASCII.GetBytes($"{parts[0]}.{parts[1]}")), Base64Url.DecodeFromChars(parts[2]));

        using var payload = System.Text.Json.JsonDocument.Parse(Base64Url.DecodeFromChars(parts[1]));
        using var frame = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        frame.AppendData([0, 0, 0, 9]);
        frame.AppendData("account 7"u8);
        var at = 0;
        foreach (var section in payload.RootElement.GetProperty("sections").EnumerateArray())
        {
            // Found by what it has to be: its digest says where it ends.
            var name = form == SaveForm.Json ? Encoding.UTF8.GetBytes($"\n  \"{section[0].GetString()}\": ") : Encoding.UTF8.GetBytes($"\n  <{section[0].GetString()}");
            var from = at + file.AsSpan(at).LastIndexOf(name) + (form == SaveForm.Json ? name.Length : 3);
            var length = Enumerable.Range(1, file.Length - from).First(count => Base64Url.EncodeToString(SHA256.HashData(file.AsSpan(from, count))) == section[1].GetString());
            frame.AppendData(file, at, from - at);
            at = from + length;
        }
        frame.AppendData(file, at, start - at);
        frame.AppendData(file, end, file.Length - end);
        Assert.Equal(payload.RootElement.GetProperty("frame").GetString(), Base64Url.EncodeToString(frame.GetHashAndReset()));
    }

    private static SealContent Content() => new(SHA256.HashData("frame"u8), [new SealedSection("pilot", SHA256.HashData("pilot"u8)), new SealedSection("scenes/mill", SHA256.HashData("mill"u8))]);
}
